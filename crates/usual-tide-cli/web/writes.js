// What one does to items: sent one after the other, told in the row when it is refused, and undone.

import { flat, patchOf } from "./cells.js";
import { titleOf } from "./names.js";
import { Refused, ask } from "./live-list.js";

/**
 * A write that is done once, however often it is sent: while its answer is missing it keeps its name, by which the server
 * knows that it was done. What was answered, and refused, is another write when it is tried again.
 */
function once(...request) {
  let key = null;
  return async () => {
    // Not `randomUUID`, which pages have only over HTTPS or on this machine.
    key ??= Array.from(crypto.getRandomValues(new Uint32Array(4)), (part) => part.toString(16)).join("-");
    try {
      return await ask(...request, { "Idempotency-Key": key });
    } catch (why) {
      if (why.status !== 0) key = null;
      throw why;
    }
  };
}

/**
 * A write that takes something back: only while the source has what was written then, so that what others did since is not
 * lost. Once it was so, it is not asked again: the answer to this very write may have been lost.
 */
function whileUnchanged(path, part, written, write) {
  let asked = false;
  const told = (item) => JSON.stringify(part(item));
  return async () => {
    if (!asked && told(await ask("GET", path)) !== told(written)) throw new Refused(412, "others changed it since");
    asked = true;
    await write();
  };
}

/** Writes of rows, each `{ item, place, row }`; the row is null when it is not in the page. */
export class Writes {
  #undone = [];
  #adding = null;

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
   * list when the row is not in the page. Gives the answer in an array, or null; `later` is called with the answer to one
   * that was tried again.
   */
  async #send(row, what, request, later) {
    if (!row) return request().then((answer) => [answer], (why) => { this.say(`${what}: ${why.message}`); return null; });
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
      again.addEventListener("click", async () => {
        const done = await this.#send(row, what, request, later);
        if (done) later(...done);
      });
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
    const valueOf = (item) => new Map(flat(item)).get(name);
    const [item, path, before] = [row.item, this.#pathOf(row.item), valueOf(row.item)];
    const put = (value) => once("PATCH", path, patchOf(name, value));
    const note = (written) => this.#note(`the change of ${titleOf(name)} of ${this.keyOf(item)}`, [
      whileUnchanged(path, valueOf, written, put(before ?? null)),
    ]);
    const done = await this.#send(row, `${titleOf(name)} was not changed`, put(value), note);
    if (done) note(...done);
  }

  /** Adds an item at the start. */
  async add(item) {
    const text = JSON.stringify(item);
    // The same item again may be the one whose answer was lost.
    if (this.#adding?.text !== text) this.#adding = { text, request: once("POST", "/items?at=start", item) };
    const written = await this.#adding.request();
    this.#adding = null;
    const path = this.#pathOf(item);
    this.#note(`the addition of ${this.keyOf(item)}`, [
      whileUnchanged(path, (item) => item, written, once("DELETE", path, undefined)),
    ]);
  }

  /** Deletes rows one after the other; undoing brings them back in their order, each where it was. */
  async remove(rows) {
    const gone = [];
    const note = (gone) => this.#note(`the deletion of ${this.#named(gone)}`, gone.map(
      ([item, place]) => once("POST", `/items${place}`, item),
    ));
    for (const { item, place, row } of rows) {
      const request = once("DELETE", this.#pathOf(item), undefined);
      const done = await this.#send(row, `${this.keyOf(item)} was not deleted`, request, () => note([[item, place]]));
      if (done) gone.push([item, place]);
    }
    if (gone.length > 0) note(gone);
  }

  /** Moves rows between two items that stay, in their order. */
  async move(rows, above, below) {
    const moved = [];
    const move = (item, place) => once("PATCH", `${this.#pathOf(item)}${place}`, {});
    const note = (moved) => this.#note(`the move of ${this.#named(moved)}`, moved.map(([item, before]) => move(item, before)));
    for (const { item, place: before, row } of rows) {
      const request = move(item, this.placeBetween(above, below));
      if (!await this.#send(row, `${this.keyOf(item)} was not moved`, request, () => note([[item, before]]))) break;
      moved.push([item, before]);
      above = item;
    }
    if (moved.length > 0) note(moved);
  }

  #named(items) {
    return items.length === 1 ? this.keyOf(items[0][0]) : `${items.length} items`;
  }

  /** Notes what takes back what was done: writes, one after the other. */
  #note(what, writes) {
    this.#undone.push([what, writes]);
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
    const [what, writes] = step;
    try {
      // What is done is not done again, when the rest has to wait for the server.
      for (; writes.length > 0; writes.shift()) await writes[0]();
      this.say(`Undone: ${what}`);
    } catch (why) {
      // While the server is away nothing is lost: it can be undone when it is back.
      if (why.status === 0) this.#undone.push(step);
      this.#offer();
      this.say(`${what} cannot be undone: ${why.message}`);
    }
  }
}
