// What is wrong with what was asked for, in the words of the server.

/** What the server has refused, part by part, until that part is another one. */
export class Problems {
  #told = new Map();
  #tell;

  /** @param tell shows a text, or nothing where it is empty */
  constructor(tell) {
    this.#tell = tell;
  }

  /** Tells one more; gives the part of the query that it is about, which is empty where it is about none. */
  add(message, filter) {
    const [, part = ""] = /^(\w+): /.exec(message) ?? [];
    this.#told.set(part, part === "filter" ? underneath(message, filter) : message);
    this.#draw();
    return part;
  }

  /** Takes away those of some parts. */
  forget(isOver) {
    for (const part of [...this.#told.keys()].filter(isOver)) this.#told.delete(part);
    this.#draw();
  }

  #draw() {
    this.#tell([...this.#told.values()].join("\n"));
  }
}

/** What is wrong with a text, under the place where it is. */
function underneath(message, text) {
  const [, column, why] = /column (\d+): (.*)/s.exec(message) ?? [];
  return column ? `${text}\n${" ".repeat(Number(column) - 1)}^ ${why}` : message;
}
