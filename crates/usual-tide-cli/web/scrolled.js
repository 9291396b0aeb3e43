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

export class ScrolledRows {
  skip = 0;
  #shown = 0;
  #matching = 0;
  #height = 0;
  #asking = false;

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
    requestAnimationFrame(() => this.look());
  }

  /** Makes the page as high as all rows would. */
  fit(shown, matching) {
    [this.#shown, this.#matching] = [shown, Math.max(matching, this.skip + shown)];
    if (shown > 0) this.#height = this.rows.getBoundingClientRect().height / shown;
    this.above.style.height = `${this.skip * this.#height}px`;
    this.below.style.height = `${(this.#matching - this.skip - shown) * this.#height}px`;
  }

  /** Asks for other rows when one looks at the end of those that are there, or beyond. */
  async look() {
    if (this.#asking || this.#height === 0 || this.isBusy()) return;
    const hidden = this.port.getBoundingClientRect().top - this.above.getBoundingClientRect().top;
    const first = Math.max(0, Math.floor(hidden / this.#height));
    const last = Math.min(this.#matching, first + Math.ceil(this.port.clientHeight / this.#height));
    const skip = wanted({ first, last, skip: this.skip, shown: this.#shown, matching: this.#matching });
    if (skip === this.skip) return;
    this.#asking = true;
    // What is refused is asked again when one scrolls on.
    if (!(await this.ask(skip))) this.#asking = false;
  }
}
