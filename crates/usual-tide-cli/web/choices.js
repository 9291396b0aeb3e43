// The few values that a column chooses among, offered where one types into it.

const MOST = 12;

/** What a column holds, as far as it was seen. */
class Column {
  values = new Set();
  seen = 0;

  /** Its values in their order, when they are few and come again and again. */
  choices() {
    const few = this.values.size <= MOST && this.seen >= 2 * this.values.size;
    return few ? [...this.values].sort((one, other) => one.localeCompare(other)) : [];
  }
}

export class Choices {
  #columns = new Map();

  /** Notes a value of a row that is shown. */
  note(name, value) {
    if (typeof value !== "string" || value === "") return;
    const column = this.#columns.get(name) ?? new Column();
    this.#columns.set(name, column);
    column.seen += 1;
    // One more than it can have says that there are many.
    if (column.values.size <= MOST) column.values.add(value);
  }

  /** The values to choose among; none where a column holds whatever one likes. */
  of(name) {
    return this.#columns.get(name)?.choices() ?? [];
  }

  /** Offers them in a text input of this column. Other texts can be typed all the same. */
  offer(input, name) {
    const values = this.of(name);
    if (input.type !== "text" || values.length === 0) return;
    const id = `choices-${[...this.#columns.keys()].indexOf(name)}`;
    const list = document.getElementById(id) ?? document.body.appendChild(Object.assign(document.createElement("datalist"), { id }));
    list.replaceChildren(...values.map((value) => new Option(value, value)));
    input.setAttribute("list", id);
  }
}
