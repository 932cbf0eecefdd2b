// Menus close when something else is pressed; `!` leads to the emergency card; `?` opens the sheet of keys, which lists what this page's buttons carry.
const sheet = document.getElementById("keys");
const typing = (node) => node.closest("input:not([type=checkbox]):not([type=radio]), textarea, select");

document.addEventListener("click", (event) => {
  for (const menu of document.querySelectorAll("details.drop[open]")) if (!menu.contains(event.target)) menu.open = false;
});

document.addEventListener("keydown", (event) => {
  if (event.key === "Enter" && event.ctrlKey) {
    const main = event.target.closest("form")?.querySelector("[data-submit], button.btn-main");
    if (main) {
      event.preventDefault();
      main.click();
    }
  }
  // Digits tick the boxes of the group that has the focus.
  const group = event.target.closest("[data-digits]");
  if (group && /^[0-9]$/.test(event.key) && !event.ctrlKey && !event.altKey) {
    const box = group.querySelectorAll("input[type=checkbox]")[(Number(event.key) + 9) % 10];
    if (box) {
      event.preventDefault();
      box.click();
    }
  }
  if (event.key === "Escape") {
    const menu = document.querySelector("details.drop[open]");
    if (menu) {
      menu.open = false;
      menu.querySelector("summary").focus();
    }
  }
  // From every page whose fields are not in use: take a device in, find a job.
  // Where keys tick off steps and items, no letter leads away: which of them the buttons carry changes from step to step.
  const taken = document.querySelector(".stepnow, #probe-form");
  const plain = !event.ctrlKey && !event.altKey && !event.metaKey && !typing(event.target) && !sheet?.open && !taken;
  const taker = document.querySelector("[data-take-in]");
  if (plain && taker && event.key === "n") {
    event.preventDefault();
    location.href = taker.href;
  }
  if (plain && taker && event.key === "f") {
    event.preventDefault();
    if (!find()) location.href = `${document.querySelector(".brand").href}#find`;
  }
  const emptyLine = event.target.id === "line" && !event.target.value && event.target.dataset.sheet !== "no";
  // What to do when a cell burns: one key from anywhere but a text that is being typed.
  if (event.key === "!" && !event.ctrlKey && (emptyLine || !typing(event.target))) {
    event.preventDefault();
    document.querySelector("[data-emergency]")?.click();
  }
  if (event.key === "?" && !event.ctrlKey && (emptyLine || !typing(event.target))) {
    event.preventDefault();
    open();
  }
});

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-open=keys]")) open();
  if (event.target.closest("[data-grammar]")) {
    sheet.close();
    document.querySelector(".quick a")?.click();
  }
  const fold = event.target.closest("[data-unfold]");
  if (fold) {
    const rows = document.getElementById(fold.dataset.unfold);
    rows.hidden = !rows.hidden;
    fold.setAttribute("aria-expanded", String(!rows.hidden));
  }
});

// The field of a page that looks for jobs, ready to be typed into.
function find() {
  const field = document.querySelector("main input[name=q]");
  field?.focus();
  field?.select();
  return Boolean(field);
}

if (location.hash === "#find") find();

function open() {
  if (!sheet || sheet.open) return;
  sheet.querySelectorAll("[data-gathered]").forEach((row) => row.remove());
  const list = sheet.querySelector(".keylist");
  for (const row of sheet.querySelectorAll("[data-keys-for]")) row.hidden = !document.querySelector(row.dataset.keysFor);
  for (const button of [...document.querySelectorAll("[data-key]")].reverse()) {
    const row = document.createElement("div"), key = document.createElement("dt"), what = document.createElement("dd");
    row.dataset.gathered = "";
    key.append(Object.assign(document.createElement("kbd"), { textContent: button.dataset.key.replace("PageDown", "Page Down") }));
    what.textContent = (button.getAttribute("aria-label") || [...button.childNodes].filter((node) => node.nodeName !== "KBD").map((node) => node.textContent).join("")).trim();
    row.append(key, what);
    list.prepend(row);
  }
  sheet.showModal();
}
