// Which rows are selected, known by their keys. They stay selected while one scrolls on to others.

/** Boxes at the rows: one, or with Shift all from the one that was pressed last. */
export class SelectedRows {
  /** By key: the item, its place among the others, its number in the list, and whether it is in the page. */
  #picked = new Map();
  #last = null;
  #drawn = false;

  /**
   * @param shown gives the rows that are in the page, in order
   * @param keyOf gives the key of an item
   * @param placeOf gives the place of a row, for undoing
   * @param skipped gives how many rows of the list come before those in the page
   * @param between asks for the items from one number to another, each with its place
   * @param changed is called with the number of selected rows, and how many of them are not in the page
   */
  constructor({ shown, keyOf, placeOf, skipped, between, changed }) {
    Object.assign(this, { shown, keyOf, placeOf, skipped, between, changed });
  }

  /** A box for a row. */
  box(row) {
    const key = this.keyOf(row.item);
    const box = Object.assign(document.createElement("input"), { type: "checkbox", className: "select", checked: this.#picked.has(key) });
    box.setAttribute("aria-label", `Select ${key}`);
    box.addEventListener("click", async (event) => {
      const [on, last] = [box.checked, this.#last];
      this.#set(row, on);
      this.#last = { key, at: this.#numberOf(row) };
      if (event.shiftKey && last !== null) await this.#upTo(row, last, on);
      this.draw();
    });
    return box;
  }

  #numberOf(row) {
    return this.skipped() + this.shown().indexOf(row);
  }

  #set(row, on) {
    const key = this.keyOf(row.item);
    if (on) this.#picked.set(key, { item: row.item, place: this.placeOf(row), at: this.#numberOf(row), row });
    else this.#picked.delete(key);
  }

  async #upTo(row, last, on) {
    const rows = this.shown();
    const from = rows.findIndex((other) => this.keyOf(other.item) === last.key);
    const to = rows.indexOf(row);
    if (from >= 0) {
      for (const between of rows.slice(Math.min(from, to), Math.max(from, to) + 1)) this.#set(between, on);
      return;
    }
    const ends = [last.at, this.#numberOf(row)].sort((one, two) => one - two);
    for (const picked of await this.between(ends[0], ends[1], last.key)) {
      const key = this.keyOf(picked.item);
      if (!on) this.#picked.delete(key);
      else if (!this.#picked.has(key)) this.#picked.set(key, { ...picked, row: null });
    }
  }

  has(row) {
    return this.#picked.has(this.keyOf(row.item));
  }

  /** What is selected, in the order of the list: each item with its place, and its row if that is in the page. */
  picked() {
    const picked = [...this.#picked.values()].sort((one, two) => one.at - two.at);
    return picked.map(({ item, place, row }) => ({ item, row, place: row ? this.placeOf(row) : place }));
  }

  all() {
    for (const row of this.shown()) this.#set(row, true);
    this.draw();
  }

  /** Selects items, each with its place and its number, whether they are in the page or not. */
  take(items) {
    for (const picked of items) {
      const key = this.keyOf(picked.item);
      if (!this.#picked.has(key)) this.#picked.set(key, { ...picked, row: null });
    }
    this.draw(true);
  }

  clear() {
    this.#picked.clear();
    this.#last = null;
    this.draw();
  }

  /**
   * Shows what is selected, after the rows in the page may be others. A row that is not there any more stays selected when
   * one has scrolled; else it has left the list, and is not, so that nothing is deleted that one did not choose.
   */
  draw(hasScrolled = false) {
    if (this.#picked.size === 0 && !this.#drawn) return;
    this.#drawn = this.#picked.size > 0;
    const rows = new Map(this.shown().map((row, at) => [this.keyOf(row.item), [row, this.skipped() + at]]));
    if (rows.has(this.#last?.key)) this.#last.at = rows.get(this.#last.key)[1];
    for (const [key, picked] of this.#picked) {
      const [row, at] = rows.get(key) ?? [];
      if (row) Object.assign(picked, { item: row.item, row, at });
      else if (hasScrolled || !picked.row) picked.row = null;
      else this.#picked.delete(key);
    }
    for (const [key, [row]] of rows) {
      row.setAttribute("aria-selected", String(this.#picked.has(key)));
      const box = row.querySelector(".select");
      if (box) box.checked = this.#picked.has(key);
    }
    const beyond = [...this.#picked.values()].filter(({ row }) => !row).length;
    this.changed(this.#picked.size, beyond);
  }

  /** Rows that are not in the page are not selected any more: the list has others now. */
  forgetBeyond() {
    for (const [key, { row }] of this.#picked) if (!row) this.#picked.delete(key);
    this.draw();
  }
}
