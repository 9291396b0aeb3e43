// Which rows are selected, known by their keys.

/** Boxes at the rows: one, or with Shift all up to the last one that was pressed. */
export class SelectedRows {
  #keys = new Set();
  #last = null;
  #drawn = false;

  /**
   * @param shown gives the rows that are shown, in order
   * @param keyOf gives the key of a row
   * @param changed is called with the number of selected rows
   */
  constructor(shown, keyOf, changed) {
    this.shown = shown;
    this.keyOf = keyOf;
    this.changed = changed;
  }

  /** A box for a row. */
  box(row) {
    const key = this.keyOf(row);
    const box = Object.assign(document.createElement("input"), { type: "checkbox", className: "select", checked: this.#keys.has(key) });
    box.setAttribute("aria-label", `Select ${key}`);
    box.addEventListener("click", (event) => {
      if (event.shiftKey && this.#last !== null) this.#upTo(key, box.checked);
      else this.#set(key, box.checked);
      this.#last = key;
      this.draw();
    });
    return box;
  }

  #set(key, on) {
    if (on) this.#keys.add(key);
    else this.#keys.delete(key);
  }

  #upTo(key, on) {
    const keys = this.shown().map(this.keyOf);
    const ends = [keys.indexOf(this.#last), keys.indexOf(key)].sort((one, two) => one - two);
    for (const between of keys.slice(Math.max(ends[0], 0), ends[1] + 1)) this.#set(between, on);
  }

  has(row) {
    return this.#keys.has(this.keyOf(row));
  }

  /** The selected rows, in the order in which they are shown. */
  rows() {
    return this.shown().filter((row) => this.has(row));
  }

  all() {
    for (const row of this.shown()) this.#keys.add(this.keyOf(row));
    this.draw();
  }

  clear() {
    this.#keys.clear();
    this.#last = null;
    this.draw();
  }

  /** Shows what is selected; a row that has left the list is not any more, so that nothing unseen is deleted. */
  draw() {
    if (this.#keys.size === 0 && !this.#drawn) return;
    this.#drawn = this.#keys.size > 0;
    const rows = this.shown();
    const keys = new Set(rows.map(this.keyOf));
    for (const key of this.#keys) if (!keys.has(key)) this.#keys.delete(key);
    for (const row of rows) {
      row.setAttribute("aria-selected", String(this.has(row)));
      const box = row.querySelector(".select");
      if (box) box.checked = this.has(row);
    }
    this.changed(this.#keys.size);
  }
}
