// Which part of a long list is in the page: the rows around what one looks at, however many the list has.

/** Rows that are in the page at a time. */
export const ROWS = 200;

/** The next part is asked for when only so many rows are left beyond what is seen. */
const MARGIN = 40;

/**
 * The first row of the part that should be in the page, where rows from `first` to `last` are seen and those from `skip` on
 * are there, `shown` of `matching`; `skip` itself when that is as it should be.
 */
export function wanted({ first, last, skip, shown, matching }) {
  const isEnough = (skip === 0 || first >= skip + MARGIN) && (skip + shown >= matching || last <= skip + shown - MARGIN);
  if (isEnough) return skip;
  const around = Math.floor((first + last - ROWS) / 2);
  return Math.max(0, Math.min(around, matching - ROWS));
}

/** Pixels that the rows out of the page take at most: browsers draw nothing that is higher than some thirty millions. */
const MOST_PIXELS = 10_000_000;

/**
 * Where the rows are drawn: those in the page as high as they are, and `drawn` pixels for each of the others, which is less where
 * there are too many.
 */
export class Places {
  constructor({ skip, shown, matching, height }) {
    Object.assign(this, { skip, shown, matching, height });
    this.drawn = Math.min(height, MOST_PIXELS / Math.max(1, matching - shown));
  }

  get above() {
    return this.skip * this.drawn;
  }

  get below() {
    return Math.max(0, this.matching - this.skip - this.shown) * this.drawn;
  }

  /** Which row is so many pixels below the first one: with its fraction. */
  rowAt(pixels) {
    const end = this.above + this.shown * this.height;
    if (pixels < this.above) return pixels / this.drawn;
    if (pixels < end) return this.skip + (pixels - this.above) / this.height;
    return this.skip + this.shown + (pixels - end) / this.drawn;
  }

  /** How many pixels below the first one a row is that is in the page. */
  pixelsOf(row) {
    return this.above + (row - this.skip) * this.height;
  }

  has(row) {
    return row >= this.skip && row <= this.skip + this.shown;
  }
}

export class ScrolledRows {
  skip = 0;
  #places = null;
  #asking = false;
  /** The row that one has gone to and that is not in the page yet, and from which pixels. */
  #sought = null;
  #found = null;

  /**
   * @param port the element that scrolls
   * @param above an element as high as the rows before those that are there, and `below` as those after
   * @param rows the element that holds the rows
   * @param ask asks for the rows from a position on; tells whether they will come, and `arrived` is called then
   * @param isBusy whether the rows must stay, since one types into them or drags them
   */
  constructor({ port, above, below, rows, ask, isBusy }) {
    Object.assign(this, { port, above, below, rows, ask, isBusy });
    let frame = 0;
    const look = () => {
      cancelAnimationFrame(frame);
      frame = requestAnimationFrame(() => this.look());
    };
    port.addEventListener("scroll", look, { passive: true });
    addEventListener("resize", look);
  }

  /** The rows from a position on are there. */
  arrived(skip) {
    this.skip = skip;
    this.#asking = false;
    const stays = this.#sought !== null && Math.abs(this.#hidden() - this.#sought.hidden) < 1;
    this.#found = stays ? this.#sought.row : null;
    this.#sought = null;
    requestAnimationFrame(() => this.look());
  }

  /** Makes the page as high as all rows would, or as they can be. */
  fit(shown, matching) {
    const height = shown > 0 ? this.rows.getBoundingClientRect().height / shown : (this.#places?.height ?? 0);
    this.#places = new Places({ skip: this.skip, shown, matching: Math.max(matching, this.skip + shown), height });
    this.above.style.height = `${this.#places.above}px`;
    this.below.style.height = `${this.#places.below}px`;
  }

  /** Shows the row that one has gone to, now that it is there. */
  show() {
    const row = this.#found;
    this.#found = null;
    if (row !== null && this.#places?.has(row)) this.port.scrollTop += this.#places.pixelsOf(row) - this.#hidden();
  }

  /** Pixels of the rows above those that are seen. */
  #hidden() {
    return this.port.getBoundingClientRect().top - this.above.getBoundingClientRect().top;
  }

  /** Asks for other rows when one looks at the end of those that are there, or beyond. */
  async look() {
    const places = this.#places;
    if (this.#asking || !places?.height || this.isBusy()) return;
    const hidden = this.#hidden();
    const row = places.rowAt(hidden);
    const first = Math.min(Math.max(0, Math.floor(row)), places.matching);
    const last = Math.min(places.matching, first + Math.ceil(this.port.clientHeight / places.height));
    const skip = wanted({ first, last, skip: this.skip, shown: places.shown, matching: places.matching });
    if (skip === this.skip) return;
    this.#asking = true;
    // At the end, the last row is sought.
    const isEnd = this.port.scrollTop + this.port.clientHeight >= this.port.scrollHeight - 1;
    this.#sought = places.has(row) ? null : { row: isEnd ? places.matching : row, hidden };
    // What is refused is asked again when one scrolls on.
    if (!(await this.ask(skip))) this.#asking = false;
  }
}
