// On a narrow screen a table's rows become cards: each cell says the heading of its column.
function label() {
  for (const table of document.querySelectorAll("table.plain:not(.tight)")) {
    const heads = [...(table.tHead?.rows[0]?.cells ?? [])].map((cell) => cell.innerText.trim());
    table.classList.add("cards");
    for (const body of table.tBodies) for (const row of body.rows) [...row.cells].forEach((cell, i) => {
      if (heads[i] && i) cell.dataset.label ??= heads[i];
    });
  }
}

label();
document.addEventListener("htmx:afterSettle", label);
