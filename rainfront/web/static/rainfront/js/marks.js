// A click on the photo fills in where the mark goes; the fields can be typed as well.
const picture = document.getElementById("picture"), ghost = document.getElementById("ghost");
const x = document.getElementById("id_x"), y = document.getElementById("id_y");

if (picture && x) {
  const box = picture.viewBox.baseVal;
  const place = () => {
    ghost.setAttribute("cx", (x.value / 100) * box.width);
    ghost.setAttribute("cy", (y.value / 100) * box.height);
  };
  picture.addEventListener("click", (event) => {
    const at = picture.getBoundingClientRect();
    x.value = (((event.clientX - at.left) / at.width) * 100).toFixed(1);
    y.value = (((event.clientY - at.top) / at.height) * 100).toFixed(1);
    place();
    document.getElementById("id_text").focus();
  });
  x.addEventListener("input", place);
  y.addEventListener("input", place);
}
