// A list that the server keeps: opened with a query, its rows once, and change sets from then on (docs/http.md).

import { parse } from "./exact.js";

/** What the server refused, in its words. */
export class Refused extends Error {
  constructor(status, detail) {
    super(detail);
    this.status = status;
  }
}

/** Asks the server; gives the answer's JSON, or throws what it refused. */
export async function ask(method, path, body, headers = {}) {
  let answer;
  let text;
  try {
    answer = await fetch(path, {
      method,
      headers: body === undefined ? headers : { "Content-Type": "application/json", ...headers },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
    text = await answer.text();
  } catch {
    throw new Refused(0, "the server does not answer");
  }
  let told = null;
  try {
    told = text === "" ? null : parse(text);
  } catch {
    throw new Refused(answer.status, "the server's answer cannot be read");
  }
  if (!answer.ok) throw new Refused(answer.status, told?.detail ?? answer.statusText);
  return told;
}

/** The sections of an answer, each with its rows; a list without sections is one without a heading. */
export function sectionsOf(list) {
  if (!list.sections) return [{ heading: "", count: list.rows.length, rows: list.rows }];
  let next = 0;
  return list.sections.map(({ rows, ...section }) => {
    const from = next;
    next += rows;
    return { ...section, rows: list.rows.slice(from, next) };
  });
}

/** A list of the server's, followed as long as the page is open. */
export class LiveList {
  /**
   * @param heard what is called with the rows (`onRows`), with each change set by section (`onChanges`), with how many items
   *   match when that is another number (`onMatching`), with how the connection stands (`onState`: `loading`, `live`, or
   *   `offline`), and with the refusal of a query (`onRefused`: true where it is another query now, which is asked then)
   */
  constructor(query, heard) {
    this.query = query;
    this.heard = heard;
    this.events = null;
    /** The version of the rows as they were last told. */
    this.version = 0;
  }

  /** Opens the list, and again when the server has forgotten it. */
  async open() {
    this.events?.close();
    this.heard.onState("loading");
    try {
      const list = await ask("POST", "/lists", this.query);
      this.path = `/lists/${list.list}`;
      this.version = list.version;
      this.heard.onRows(list);
      this.#follow(list.version);
    } catch (why) {
      if ((why.status === 400 || why.status === 422) && this.heard.onRefused?.(why)) return this.open();
      this.heard.onState("offline", why.message);
      setTimeout(() => this.open(), 2000);
    }
  }

  #follow(version) {
    const events = new EventSource(`${this.path}/changes?by=section&last-event-id=${version}`);
    this.events = events;
    events.onopen = () => this.heard.onState("live");
    const hear = (name, heard) => events.addEventListener(name, (event) => {
      this.version = Number(event.lastEventId);
      heard(parse(event.data));
    });
    hear("changes", this.heard.onChanges);
    hear("rows", this.heard.onRows);
    events.addEventListener("matching", (event) => this.heard.onMatching(parse(event.data).matching));
    events.addEventListener("closed", () => this.open());
    events.onerror = () => {
      if (this.events !== events) return;
      this.heard.onState("offline", "the server does not answer; trying again");
      // A stream that was refused does not begin again by itself.
      if (events.readyState === EventSource.CLOSED) setTimeout(() => this.open(), 2000);
    };
  }

  /** Changes parts of the query; the change set that leads to the answer's `version` comes by itself. */
  async change(parts) {
    if (!this.path) {
      // It is not open yet, and will be with these.
      Object.assign(this.query, parts);
      return { query: this.query, version: this.version };
    }
    const told = await ask("PATCH", this.path, parts);
    this.query = told.query;
    return told;
  }
}
