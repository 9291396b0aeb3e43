// The keyboard's place in the table. It lasts when rows and headings are drawn anew, and when rows move.

const CELL = '[role="cell"], [role="columnheader"]';

/** A cell's name, which the cells of other rows and those that are drawn anew have too. */
const nameOf = (cell) => (cell.dataset.name === undefined ? cell.className : `field ${cell.dataset.name}`);

/** What can have the focus in a cell. */
const within = (cell) => (cell?.matches("[tabindex]") ? cell : (cell?.querySelector("input, button:not(:disabled)") ?? null));

/** The row and the cell that an element is in; nothing elsewhere. */
export function placeOf(element) {
  const cell = element?.closest?.(CELL);
  return cell ? { row: cell.parentElement, name: nameOf(cell) } : null;
}

/** Gives the focus to a cell of a row, if there is one; `scrolls` brings it into sight. */
export function focusIn(row, name, scrolls = false) {
  const cell = [...(row?.children ?? [])].find((one) => one.matches(CELL) && nameOf(one) === name);
  within(cell)?.focus({ preventScroll: !scrolls });
}

/** Draws the cells of a row anew. Where one of them had the focus, or is `next` to have it, the new one has it. */
export function redrawn(row, draw, next = document.activeElement) {
  const place = next !== null && row.contains(next) ? placeOf(next) : null;
  draw();
  if (place) focusIn(row, place.name);
}

/** The arrows go from cell to cell: to the sides, and up and down among `rows`. Tells whether the event was one. */
export function walk(event, rows) {
  const place = placeOf(event.target);
  if (!place || event.altKey || event.ctrlKey || event.metaKey || event.shiftKey) return false;
  const step = { ArrowUp: -1, ArrowDown: 1, ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (step === undefined) return false;
  if (event.key === "ArrowUp" || event.key === "ArrowDown") {
    focusIn(rows[rows.indexOf(place.row) + step], place.name, true);
    return true;
  }
  const cells = [...place.row.children].filter((cell) => cell.matches(CELL) && within(cell));
  within(cells[cells.findIndex((cell) => nameOf(cell) === place.name) + step])?.focus();
  return true;
}
