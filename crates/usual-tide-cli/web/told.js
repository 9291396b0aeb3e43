// What the view was told, in words.

import { written } from "./exact.js";
import { nameOf, wayOf } from "./names.js";

const MOST_SETS = 30;
const MOST_ROWS = 6;

/** Tells of change sets in an ordered list, the last one first. */
export class Told {
  constructor(container, keyOf) {
    this.container = container;
    this.keyOf = keyOf;
  }

  /** Tells of a change set by section that led to so many rows. */
  tell(changes, rows) {
    const entry = document.createElement("li");
    const heading = document.createElement("strong");
    heading.textContent = new Date().toLocaleTimeString();
    entry.append(heading);
    const counts = [
      [changes.removed.length, "left"],
      [changes.inserted.length, "arrived"],
      [changes.moved.length, "moved"],
      [changes.updated.length, "changed"],
    ].filter(([count]) => count > 0);
    const touched = counts.reduce((sum, [count]) => sum + count, 0);
    const summary = counts.map(([count, verb]) => `${count} ${verb}`).join(", ") || "sections alone changed";
    this.#line(entry, `${summary}; a reload would have drawn ${rows} rows again`);
    const stay = sectionsAfter(changes.sections);
    const lines = [
      ...changes.removed.map(({ key }) => `left ${written(key)}`),
      ...changes.inserted.map(({ key }) => `arrived ${written(key)}`),
      ...changes.moved.map((move) => moveInWords(move, stay)),
      ...changes.updated.map(({ key, fields }) => `changed ${written(key)}: ${fields.map((field) => nameOf(wayOf(field))).join(", ")}`),
    ];
    for (const line of lines.slice(0, MOST_ROWS)) this.#line(entry, line);
    if (lines.length > MOST_ROWS) this.#line(entry, `and ${touched - MOST_ROWS} more`);
    this.container.prepend(entry);
    while (this.container.children.length > MOST_SETS) this.container.lastElementChild.remove();
  }

  #line(entry, text) {
    const line = document.createElement("span");
    line.textContent = text;
    entry.append(line);
  }
}

/** Where each section of before stands after a change of sections; -1 where it is gone. */
export function sectionsAfter({ before, removed, inserted, moved }) {
  const places = new Array(before).fill(null);
  for (const { at } of removed) places[at] = -1;
  for (const { from, to } of moved) places[from] = to;
  const taken = new Set([...inserted.map(({ at }) => at), ...moved.map(({ to }) => to)]);
  let next = 0;
  return places.map((place) => {
    if (place !== null) return place;
    while (taken.has(next)) next += 1;
    next += 1;
    return next - 1;
  });
}

/** How a row has moved, where `stay` tells where each section is by now. */
export function moveInWords({ key, from, to }, stay) {
  const row = `moved ${written(key)}`;
  if (stay[from.section] !== to.section) return `${row} to number ${to.row + 1} of section ${to.section + 1}`;
  if (from.row === to.row) return `${row} past others: it still has number ${to.row + 1}`;
  return `${row} from number ${from.row + 1} to number ${to.row + 1}`;
}
