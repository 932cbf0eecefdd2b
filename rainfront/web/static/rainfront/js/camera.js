// A photo straight from a camera or a USB microscope: the live picture beside the file field, frozen by a press and sent as a file.
async function begin(form, button) {
  const video = document.createElement("video");
  video.autoplay = video.playsInline = video.muted = true;
  try {
    video.srcObject = await navigator.mediaDevices.getUserMedia({ video: { width: { ideal: 1920 }, facingMode: "environment" } });
  } catch {
    button.textContent = "No camera answers: choose a file";
    button.disabled = true;
    return;
  }
  const take = document.createElement("button");
  take.type = "button";
  take.className = "btn btn-main";
  take.textContent = "Take it";
  take.addEventListener("click", () => freeze(form, video));
  button.replaceWith(video, take);
  take.focus();
}

function freeze(form, video) {
  const canvas = document.createElement("canvas");
  canvas.width = video.videoWidth;
  canvas.height = video.videoHeight;
  canvas.getContext("2d").drawImage(video, 0, 0);
  video.srcObject.getTracks().forEach((track) => track.stop());
  canvas.toBlob((blob) => {
    const files = new DataTransfer();
    files.items.add(new File([blob], "camera.jpg", { type: "image/jpeg" }));
    form.querySelector("input[type=file]").files = files.files;
    form.requestSubmit();
  }, "image/jpeg", 0.92);
}

function offer() {
  if (!navigator.mediaDevices?.getUserMedia) return;
  for (const form of document.querySelectorAll("form[data-camera]:not([data-ready])")) {
    form.dataset.ready = "";
    const button = document.createElement("button");
    button.type = "button";
    button.className = "btn btn-quiet mt-1";
    button.textContent = "From the camera";
    button.addEventListener("click", () => begin(form, button));
    form.append(button);
  }
}

offer();
document.addEventListener("htmx:afterSettle", offer);
