// A press fills in where a point or a pair is; every field can be typed as well.
const picture = document.getElementById("picture"), ghost = document.getElementById("ghost");
const x = document.getElementById("id_x"), y = document.getElementById("id_y");

function share(value) {
  return (Math.min(Math.max(value, 0), 1) * 100).toFixed(2);
}

// The pad that is picked on the map is the pad of the pair.
document.addEventListener("pad-picked", (event) => {
  const pad = document.getElementById("id_pad");
  if (pad && event.detail.name) pad.value = event.detail.name;
});

if (picture && x) {
  picture.addEventListener("click", (event) => {
    const at = picture.getBoundingClientRect(), box = picture.viewBox.baseVal;
    const across = (event.clientX - at.left) / at.width, down = (event.clientY - at.top) / at.height;
    x.value = share(across);
    y.value = share(down);
    ghost.setAttribute("cx", across * box.width);
    ghost.setAttribute("cy", down * box.height);
    document.querySelector("#pair-form button").focus({ preventScroll: true });
  });
}

// On a map that is a picture, a press where no pad is begins a new point.
const form = document.getElementById("point-form");
if (form) {
  document.addEventListener("place-pressed", (event) => {
    x.value = share(event.detail.x);
    y.value = share(event.detail.y);
    form.elements.side.value = event.detail.side;
    document.getElementById("id_part").focus({ preventScroll: true });
  });
}
