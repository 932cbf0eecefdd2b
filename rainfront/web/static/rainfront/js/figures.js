// Numbers as the shop writes them: its decimal mark stands on the page.
const mark = document.documentElement.dataset.decimal || ".";

export const written = (text) => String(text).replace(".", mark);
export const figure = (value, digits) => written(value.toFixed(digits));
