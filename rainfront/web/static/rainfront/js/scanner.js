// A scanner types like a keyboard and ends with Enter. The address on a bag's code opens its job from any page and any
// field; a serial number stays in its field, and Enter after it does not send the form.
const PAUSE_MS = 1500;
const ADDRESS = /https?:\/\/\S+?\/jobs\/(\d+)\/?$/;
const JOB = /\/jobs\/(\d+)\/?$/;
let burst = "";
let last = 0;

function takeBack(field, text) {
  if (field && "value" in field && field.value.endsWith(text)) {
    field.value = field.value.slice(0, -text.length);
    field.dispatchEvent(new Event("input", { bubbles: true }));
  }
}

document.addEventListener(
  "keydown",
  (event) => {
    if (event.ctrlKey || event.altKey || event.metaKey) return;
    if (event.timeStamp - last > PAUSE_MS) burst = "";
    last = event.timeStamp;
    if (event.key.length === 1) {
      burst += event.key;
      // Where nothing is typed into, an address must not press the keys of the page on its way.
      if (burst.includes("http") && !event.target.matches?.("input, textarea, select")) event.stopImmediatePropagation();
      return;
    }
    if (event.key !== "Enter") return;
    const read = ADDRESS.exec(burst);
    burst = "";
    if (read) {
      event.preventDefault();
      event.stopImmediatePropagation();
      takeBack(event.target, read[0]);
      location.href = `/jobs/${read[1]}/`;
    } else if (event.target.name === "serial") {
      event.preventDefault();
      event.target.dispatchEvent(new Event("change", { bubbles: true }));
    }
  },
  { capture: true },
);

// What an earlier job of the device says fills only what is empty.
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-fill]");
  if (!button) return;
  for (const [name, value] of [["model_name", button.dataset.model], ["customer", button.dataset.customer]]) {
    const field = document.querySelector(`.takein [name=${name}]`);
    if (field && !field.value && value) {
      field.value = value;
      field.dispatchEvent(new Event("change", { bubbles: true }));
    }
  }
  button.remove();
});

// Where the browser reads codes from a camera (secure contexts only), the serial number has a button for it.
async function scan(field, button) {
  const video = document.createElement("video");
  video.playsInline = video.muted = true;
  try {
    video.srcObject = await navigator.mediaDevices.getUserMedia({ video: { facingMode: "environment" } });
  } catch {
    button.textContent = "No camera answers";
    button.disabled = true;
    return;
  }
  const stop = () => {
    video.srcObject.getTracks().forEach((track) => track.stop());
    video.replaceWith(button);
    field.focus();
  };
  button.replaceWith(video);
  video.addEventListener("click", stop);
  await video.play();
  const reader = new BarcodeDetector();
  while (video.isConnected) {
    const [found] = await reader.detect(video).catch(() => []);
    if (found) {
      const job = JOB.exec(found.rawValue);
      if (job) {
        location.href = `/jobs/${job[1]}/`;
        return;
      }
      field.value = found.rawValue.trim().slice(0, 40);
      field.dispatchEvent(new Event("input", { bubbles: true }));
      field.dispatchEvent(new Event("change", { bubbles: true }));
      stop();
      return;
    }
    await new Promise((resolve) => setTimeout(resolve, 120));
  }
}

if ("BarcodeDetector" in window && navigator.mediaDevices?.getUserMedia) {
  for (const field of document.querySelectorAll(".takein [name=serial]")) {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "btn btn-sm btn-quiet mt-1";
    button.textContent = "Scan it";
    button.addEventListener("click", () => scan(field, button));
    field.after(button);
  }
}
