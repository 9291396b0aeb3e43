// What one does to items: sent one after the other, told in the row when it is refused, and undone.

import { flat, patchOf } from "/cells.js";
import { ask } from "/live-list.js";

/** Writes of rows, each `{ item, place, row }`; the row is null when it is not in the page. */
export class Writes {
  #undone = [];

  /**
   * @param keyOf gives the key of an item
   * @param placeBetween gives the place between two items as an address says it
   * @param redraw draws a row as its item is
   * @param say tells something below the list
   * @param button undoes the last one
   */
  constructor({ keyOf, placeBetween, redraw, say, button }) {
    Object.assign(this, { keyOf, placeBetween, redraw, say, button });
    button.addEventListener("click", () => this.#undo());
  }

  #pathOf(item) {
    return `/items/${encodeURIComponent(this.keyOf(item))}`;
  }

  /**
   * Sends a write of a row, which is dimmed meanwhile; what is refused is told in the row, to be tried again, or below the
   * list when the row is not in the page.
   */
  async #send(row, what, request) {
    if (!row) return request().then((answer) => [answer], (why) => this.say(`${what}: ${why.message}`));
    row.classList.add("waiting");
    row.querySelector(".why")?.remove();
    row.classList.remove("failed");
    try {
      return [await request()];
    } catch (why) {
      // The row shows what the source has, not what was asked for.
      this.redraw(row);
      row.classList.add("failed");
      const told = Object.assign(document.createElement("span"), { className: "why", textContent: `${what}: ${why.message} ` });
      told.setAttribute("role", "alert");
      const again = Object.assign(document.createElement("button"), { type: "button", textContent: "Try again" });
      again.addEventListener("click", () => this.#send(row, what, request));
      const drop = Object.assign(document.createElement("button"), { type: "button", textContent: "Drop" });
      drop.addEventListener("click", () => { told.remove(); row.classList.remove("failed"); });
      told.append(again, " ", drop);
      row.append(told);
      return null;
    } finally {
      row.classList.remove("waiting");
    }
  }

  /** Changes a field of a row. */
  async change(row, name, value) {
    const [item, before] = [row.item, new Map(flat(row.item)).get(name)];
    const put = (value) => ask("PATCH", this.#pathOf(item), patchOf(name, value));
    const done = await this.#send(row, `${name} was not changed`, () => put(value));
    if (done) this.#note(`the change of ${name} of ${this.keyOf(item)}`, () => put(before ?? null));
  }

  /** Adds an item at the start. */
  async add(item) {
    await ask("POST", "/items?at=start", item);
    this.#note(`the addition of ${this.keyOf(item)}`, () => ask("DELETE", this.#pathOf(item)));
  }

  /** Deletes rows one after the other; undoing brings them back in their order, each where it was. */
  async remove(rows) {
    const gone = [];
    for (const { item, place, row } of rows) {
      const done = await this.#send(row, `${this.keyOf(item)} was not deleted`, () => ask("DELETE", this.#pathOf(item)));
      if (done) gone.push([item, place]);
    }
    if (gone.length > 0) this.#note(`the deletion of ${this.#named(gone)}`, async () => {
      // What is done is not done again, when the rest has to wait for the server.
      for (; gone.length > 0; gone.shift()) await ask("POST", `/items${gone[0][1]}`, gone[0][0]);
    });
  }

  /** Moves rows between two items that stay, in their order. */
  async move(rows, above, below) {
    const moved = [];
    for (const { item, place: before, row } of rows) {
      const place = this.placeBetween(above, below);
      const done = await this.#send(row, `${this.keyOf(item)} was not moved`, () => ask("PATCH", `${this.#pathOf(item)}${place}`, {}));
      if (!done) break;
      moved.push([item, before]);
      above = item;
    }
    if (moved.length > 0) this.#note(`the move of ${this.#named(moved)}`, async () => {
      for (; moved.length > 0; moved.shift()) await ask("PATCH", `${this.#pathOf(moved[0][0])}${moved[0][1]}`, {});
    });
  }

  #named(items) {
    return items.length === 1 ? this.keyOf(items[0][0]) : `${items.length} items`;
  }

  #note(what, undo) {
    this.#undone.push([what, undo]);
    this.#offer();
    this.say(`Done; “Undo” takes back ${what}`);
  }

  #offer() {
    const last = this.#undone.at(-1);
    this.button.disabled = !last;
    this.button.title = last ? `Undo ${last[0]}` : "";
  }

  async #undo() {
    const step = this.#undone.pop();
    this.#offer();
    if (!step) return;
    const [what, undo] = step;
    try {
      await undo();
      this.say(`Undone: ${what}`);
    } catch (why) {
      // While the server is away nothing is lost: it can be undone when it is back.
      if (why.status === 0) this.#undone.push(step);
      this.#offer();
      this.say(`${what} cannot be undone: ${why.message}`);
    }
  }
}
