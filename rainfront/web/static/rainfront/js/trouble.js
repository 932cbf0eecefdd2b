import { newKey } from "./once.js";

// What the server could not do, or refused, is said beside the quick line or on top of the page; nothing is lost without a word.
function say(text) {
  let place = document.getElementById("trouble");
  if (!place) {
    place = document.createElement("div");
    place.id = "trouble";
    place.setAttribute("role", "alert");
    document.getElementById("main").prepend(place);
  }
  place.className = "say bad";
  place.textContent = text;
  place.scrollIntoView({ block: "nearest" });
  return place;
}

// What was stored before is asked about: a second time under a new key, or the page as it is now.
function ask(text, { elt, requestConfig }) {
  const form = elt.closest("form");
  const place = say(`${text} `);
  const button = (words, act) => {
    const made = document.createElement("button");
    Object.assign(made, { type: "button", className: "btn btn-quiet btn-sm me-2", textContent: words, onclick: act });
    place.append(made);
    return made;
  };
  button("Show the page as it is", () => location.reload()).focus();
  if (!form) return;
  button("Store it a second time", () => {
    for (const field of form.querySelectorAll("[name=once]")) field.value = newKey();
    place.remove();
    if (elt === form) form.requestSubmit(requestConfig?.triggeringEvent?.submitter);
    else elt.click();
  });
}

// A page that refuses says why; any other answer is only a number.
function reason(xhr) {
  const page = new DOMParser().parseFromString(xhr.responseText || "", "text/html");
  return page.querySelector("[data-reason]")?.textContent.trim();
}

document.addEventListener("htmx:responseError", (event) => {
  const xhr = event.detail.xhr;
  if (xhr.status === 409) {
    ask(reason(xhr) || "This is stored already.", event.detail);
    return;
  }
  // A server that breaks may have stored it before; a request that it refuses, it has not stored.
  const broke = xhr.status >= 500 && xhr.status !== 503;
  say(
    (!broke && reason(xhr)) ||
      `The server answered ${xhr.status}. ${broke ? "It may be stored: load the page again and look, before you send it again." : "Nothing was stored; try again."}`,
  );
});
document.addEventListener("htmx:sendError", () => say("The server cannot be reached. Once it is, look whether it was stored."));
