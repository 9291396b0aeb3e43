// Change sets in a web view: applied to arrays, and to elements with animation. An ES module without dependencies; what a
// change set says is in docs/change-sets.md, its types are in change-set.d.ts.
//
//   import { applyChanges, ElementList } from "./change-set.js";
//
//   applyChanges(rows, changes);                 // an array of items
//   const list = new ElementList(container, {    // the children of an element
//     create: (piece) => { … return element; },
//     update: (element, piece) => { … },
//   });
//   list.reset(rows);
//   list.apply(changes);

/** A change set does not fit the rows that it is applied to. They are as they were. */
export class ChangeSetError extends Error {
  constructor(message) {
    super(message);
    this.name = "ChangeSetError";
  }
}

/**
 * Applies a change set to an array of items, in place. O(n) in the rows after the first that is touched.
 * @throws {ChangeSetError} where it does not fit; the array is as it was.
 */
export function applyChanges(rows, changes) {
  const kept = without(rows, changes);
  const arriving = [
    ...changes.inserted.map(({ at, item }) => ({ at, row: item })),
    ...changes.moved.map(({ from, to }) => ({ at: to, row: rows[from] })),
  ].sort((one, two) => one.at - two.at);
  const after = merged(kept, arriving, changes.after);
  for (const { to, item } of changes.updated) {
    if (!(to >= 0 && to < after.length)) throw misfit(`it updates position ${to}`, after.length);
    after[to] = item;
  }
  // What has not changed at the start is left alone.
  let same = 0;
  while (same < rows.length && same < after.length && rows[same] === after[same]) same += 1;
  rows.length = same;
  for (let at = same; at < after.length; at += 1) rows.push(after[at]);
  return rows;
}

/** The rows that neither leave nor move, with those that the set speaks of checked. */
function without(rows, changes) {
  if (rows.length !== changes.before) {
    throw new ChangeSetError(`the change set starts from ${changes.before} rows, and there are ${rows.length}`);
  }
  const leaving = new Set();
  for (const at of [...changes.removed.map((row) => row.at), ...changes.moved.map((row) => row.from)]) {
    if (!(at >= 0 && at < rows.length)) throw misfit(`it takes out position ${at}`, rows.length);
    if (leaving.has(at)) throw new ChangeSetError(`the change set takes position ${at} out twice`);
    leaving.add(at);
  }
  return rows.filter((_, at) => !leaving.has(at));
}

/** Rows with others put in at their positions, from the lowest to the highest. */
function merged(kept, arriving, count) {
  const after = [];
  let next = 0;
  for (const { at, row } of arriving) {
    while (after.length < at && next < kept.length) after.push(kept[next++]);
    if (after.length !== at) throw misfit(`it puts a row at position ${at}`, after.length);
    after.push(row);
  }
  while (next < kept.length) after.push(kept[next++]);
  if (count !== undefined && after.length !== count) {
    throw new ChangeSetError(`the change set leads to ${count} rows, and it comes to ${after.length}`);
  }
  return after;
}

function misfit(what, rows) {
  return new ChangeSetError(`the change set does not fit: ${what}, and there are ${rows} rows`);
}

/**
 * Applies a change set by section to an array of sections, in place: objects with `key`, `heading`, `count` and so on, and
 * their `rows`.
 * @throws {ChangeSetError} where it does not fit; the sections are as they were.
 */
export function applySectionChanges(sections, changes) {
  const rowsOf = sections.map((section) => section.rows);
  const lifted = changes.moved.map(({ from }) => rowAt(rowsOf, from));
  const leaving = rowsOf.map(() => new Set());
  for (const at of [...changes.removed.map((row) => row.at), ...changes.moved.map((row) => row.from)]) {
    rowAt(rowsOf, at);
    leaving[at.section].add(at.row);
  }
  const before = sections.map((section, index) => ({
    ...section,
    rows: section.rows.filter((_, row) => !leaving[index].has(row)),
  }));
  const change = changes.sections;
  const arriving = [
    ...change.inserted.map(({ at, ...section }) => ({ at, row: { ...section, rows: [] } })),
    ...change.moved.map(({ from, to }) => ({ at: to, row: before[from] })),
  ].sort((one, two) => one.at - two.at);
  const after = merged(without(before, change), arriving, change.after);
  for (const { from, to, fields, ...section } of change.updated) {
    if (!after[to]) throw misfit(`it updates section ${to}`, after.length);
    after[to] = { ...section, rows: after[to].rows };
  }
  const rows = after.map(() => []);
  const put = (at, row) => {
    if (!after[at.section]) throw misfit(`it puts a row into section ${at.section}`, after.length);
    rows[at.section].push({ at: at.row, row });
  };
  for (const { at, item } of changes.inserted) put(at, item);
  changes.moved.forEach(({ to }, index) => put(to, lifted[index]));
  after.forEach((section, index) => {
    section.rows = merged(section.rows, rows[index].sort((one, two) => one.at - two.at));
  });
  for (const { to, item } of changes.updated) {
    rowAt(after.map((section) => section.rows), to);
    after[to.section].rows[to.row] = item;
  }
  sections.splice(0, sections.length, ...after);
  return sections;
}

function rowAt(rows, { section, row }) {
  const found = rows[section];
  if (!found || !(row >= 0 && row < found.length)) {
    throw new ChangeSetError(`the change set does not fit: there is no row ${row} in section ${section}`);
  }
  return found[row];
}

const DURATION = 180;
const stillness = () => globalThis.matchMedia?.("(prefers-reduced-motion: reduce)").matches ?? false;

/**
 * The children of an element as the rows of a list. A change set touches the elements of the rows that it names, and no
 * other: each one that is kept slides from where it was, and one that leaves fades. Who asks for less motion gets none.
 */
export class ElementList {
  /**
   * @param container the element whose children are the rows
   * @param create makes the element of an item
   * @param update changes the element of an item that is another now; without it, the element is made anew
   * @param duration how long elements slide and fade, in milliseconds
   * @param settle is called when all elements are in their places, before they slide: to scroll, so that what one reads stays
   */
  constructor(container, { create, update, duration = DURATION, settle }) {
    Object.assign(this, { container, create, update, duration, settle });
    /** The elements of the rows, in order; those that are fading are not among them. */
    this.elements = [];
  }

  /** Shows these rows, without animation. */
  reset(rows) {
    this.elements = rows.map((item) => this.create(item));
    this.container.replaceChildren(...this.elements);
  }

  /**
   * Puts a change set into effect.
   * @throws {ChangeSetError} where it does not fit; nothing is changed then.
   */
  apply(changes) {
    slid(() => this.elements, this, () => this.place(changes));
  }

  /** The same without sliding. */
  place(changes) {
    // Where it does not fit, it is refused here, before anything is touched.
    const after = applyChanges([...this.elements], { ...changes, updated: changes.updated.map(({ to }) => ({ to })) });
    for (const { from, to } of changes.updated) after[to] = this.elements[from];
    this.#takeOut(changes.removed.map(({ at }) => this.elements[at]));
    for (const { at, item } of changes.inserted) after[at] = this.create(item);
    for (const { to, item } of changes.updated) after[to] = this.#updated(after[to], item);
    // From the last to the first, so that the element after each one is in its place already.
    const placed = [...changes.inserted.map(({ at }) => at), ...changes.moved.map(({ to }) => to)];
    for (const at of placed.sort((one, two) => two - one)) this.container.insertBefore(after[at], after[at + 1] ?? null);
    this.elements = after;
  }

  #updated(element, item) {
    if (this.update) {
      this.update(element, item);
      return element;
    }
    const other = this.create(item);
    element.replaceWith(other);
    return other;
  }

  /** Takes elements out; they fade where they were, and take no room. */
  #takeOut(elements) {
    const fades = this.duration > 0 && !stillness();
    // All are looked at before one is changed, so that they are laid out once.
    const places = elements.map(({ offsetTop: top, offsetLeft: left, offsetWidth: width }) =>
      ({ top: `${top}px`, left: `${left}px`, width: `${width}px` }));
    for (const [at, element] of elements.entries()) {
      if (!fades || !element.animate) {
        element.remove();
        continue;
      }
      Object.assign(element.style, { position: "absolute", ...places[at] });
      element.inert = true;
      element.setAttribute("aria-hidden", "true");
      const { finished } = element.animate([{ opacity: 1 }, { opacity: 0 }], { duration: this.duration });
      finished.then(() => element.remove(), () => element.remove());
    }
  }
}

/** Makes a change, and lets each element that is elsewhere on the screen then slide from where it was. */
function slid(elements, { duration = DURATION, settle }, change) {
  const moves = duration > 0 && !stillness();
  const places = new Map(moves ? elements().map((element) => [element, element.getBoundingClientRect()]) : []);
  change();
  settle?.();
  const shifts = (moves ? elements() : []).filter((element) => places.has(element)).map((element) => {
    const now = element.getBoundingClientRect();
    return [element, places.get(element).left - now.left, places.get(element).top - now.top];
  });
  for (const [element, x, y] of shifts.filter(([, x, y]) => x !== 0 || y !== 0)) {
    element.animate([{ transform: `translate(${x}px, ${y}px)` }, { transform: "none" }], { duration, easing: "ease-out" });
  }
}

/**
 * Sections with their rows as elements: one `ElementList` for each section, in an element that `createSection` makes. A row
 * that goes to another section is made there anew.
 */
export class SectionedElementList {
  /**
   * @param container the element whose children are the sections
   * @param createSection makes `{ element, rows }`: the element of a section, and the one within it for its rows
   * @param updateSection changes them for a section that has another heading, count or total
   */
  constructor(container, { createSection, updateSection, ...options }) {
    Object.assign(this, { container, createSection, updateSection, options, sections: [] });
  }

  /** Shows these sections, each with its `rows`, without animation. */
  reset(sections) {
    this.sections = sections.map((section) => this.#made(section));
    this.container.replaceChildren(...this.sections.map((made) => made.parts.element));
  }

  #made(section) {
    const parts = this.createSection(section);
    const list = new ElementList(parts.rows, this.options);
    list.reset(section.rows);
    return { section, parts, list, key: JSON.stringify(section.key) };
  }

  /**
   * Puts a change set by section into effect.
   * @throws {ChangeSetError} where it does not fit; nothing is changed then.
   */
  apply(changes) {
    slid(() => this.sections.flatMap((made) => made.list.elements), this.options, () => this.#place(changes));
  }

  #place(changes) {
    const after = applySectionChanges(this.sections.map((made) => made.section), changes);
    const known = new Map(this.sections.map((made, from) => [made.key, { made, from }]));
    const made = after.map((section, to) => {
      const key = JSON.stringify(section.key);
      const kept = known.get(key);
      if (!kept) return this.#made(section);
      known.delete(key);
      if (this.updateSection) this.updateSection(kept.made.parts, section);
      kept.made.list.place(within(changes, kept.from, to, kept.made.section.rows.length, section.rows));
      return Object.assign(kept.made, { section });
    });
    for (const { made: gone } of known.values()) gone.parts.element.remove();
    for (let at = made.length - 1; at >= 0; at -= 1) {
      const [element, next] = [made[at].parts.element, made[at + 1]?.parts.element ?? null];
      if (element.nextSibling !== next || !element.parentNode) this.container.insertBefore(element, next);
    }
    this.sections = made;
  }
}

/** What a change set by section says of one section: `from` before and `to` after, which has these rows then. */
function within(changes, from, to, before, rows) {
  const stays = (row) => row.from.section === from && row.to.section === to;
  const leaves = changes.moved.filter((row) => row.from.section === from && !stays(row));
  const comes = changes.moved.filter((row) => row.to.section === to && !stays(row));
  const arrives = [...changes.inserted.filter(({ at }) => at.section === to).map(({ at }) => at), ...comes.map((row) => row.to)];
  const isNew = new Set(arrives.map(({ row }) => row));
  return {
    before,
    after: rows.length,
    removed: [...changes.removed.filter(({ at }) => at.section === from), ...leaves.map((row) => ({ at: row.from }))]
      .map(({ at }) => ({ at: at.row })),
    inserted: arrives.map(({ row }) => ({ at: row, item: rows[row] })),
    moved: changes.moved.filter(stays).map((row) => ({ from: row.from.row, to: row.to.row })),
    updated: changes.updated.filter((row) => row.to.section === to && !isNew.has(row.to.row))
      .map((row) => ({ from: row.from.row, to: row.to.row, item: rows[row.to.row] })),
  };
}
