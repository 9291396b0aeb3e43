// The page of `usual-tide serve`: a list of the server's, to look through and to edit.

import { askForItem } from "./adding.js";
import { hashOf, questionIn } from "./address.js";
import { flat, inputFor, putMarked, shown, words } from "./cells.js";
import { SectionedElementList } from "./change-set.js";
import { Choices } from "./choices.js";
import { isExact, isNumber, written } from "./exact.js";
import { focusIn, placeOf as focused, redrawn, walk } from "./focus.js";
import { ask, LiveList, sectionsOf } from "./live-list.js";
import { nameInText, nameOf, titleOf } from "./names.js";
import { Problems } from "./problems.js";
import { ROWS, ScrolledRows } from "./scrolled.js";
import { SelectedRows } from "./selected.js";
import { Told } from "./told.js";
import { Writes } from "./writes.js";

const $ = (id) => document.getElementById(id);
const way = JSON.parse(document.body.dataset.key);
const takesWrites = document.body.dataset.writes === "true";
const keyOf = (item) => {
  const key = way.reduce((part, name) => part?.[name], item);
  return isExact(key) ? key.rawJSON : key;
};
const keyName = nameOf(way);

const names = [];
const choices = new Choices();
/** How many letters the values of each field have at most, in the rows that came first. */
const widths = new Map();
/** Whether a change set is being put into effect. */
let applying = false;
let searched = [];
/** The field by which the list is sorted, if it is. */
let sort = "";
let descending = false;
/** The fields that hold numbers, and those of them whose sums the headings tell. */
const numeric = new Set();
let sums = [];
let matching = 0;
/** Keeps what one reads where it is, while a change set is put into effect. */
let settle = () => {};
/** How the connection stands. */
let connection = "loading";
/** Whether the rows have come once. */
let loaded = false;
/** The sections whose rows are hidden, by their keys as JSON. */
const closed = new Set();
const problems = new Problems((text) => tell("filter-problem", text));

const say = (text) => {
  $("said").replaceChildren(Object.assign(document.createElement("span"), { textContent: text }));
  clearTimeout(say.timer);
  say.timer = setTimeout(() => $("said").replaceChildren(), 5000);
};

const selected = new SelectedRows({
  shown: () => shownRows(),
  keyOf,
  placeOf: (row) => placeOf(row),
  skipped: () => scrolled.skip,
  between: (from, to, key) => itemsBetween(from, to, key),
  changed: (count, beyond) => {
    $("chosen").hidden = count === 0;
    const rows = count === 1 ? "1 row is selected" : `${count} rows are selected`;
    tell("chosen-count", beyond > 0 ? `${rows}, ${beyond} of them further up or down` : rows);
    // Offered where all that the page has are selected, and the list has more.
    $("choose-all").hidden = count < rowCount() || count >= matching;
    $("choose-all").textContent = `Select all ${matching} rows`;
  },
});
$("delete-chosen").disabled = !takesWrites;
$("keys").hidden = !takesWrites;
$("delete-chosen").addEventListener("click", async () => {
  const rows = selected.picked();
  selected.clear();
  await removeRows(rows);
});
$("choose-all").addEventListener("click", async () => selected.take(await itemsBetween(0, matching - 1)));
$("choose-none").addEventListener("click", () => selected.clear());

const writes = new Writes({
  keyOf,
  placeBetween: (above, below) => placeBetween(above, below),
  redraw: (row) => fill(row, row.item),
  say,
  button: $("undo"),
});

/**
 * The items of the list from one number to another, each with its place: what is selected beyond the page. With a key, that item
 * is to be among them.
 */
async function itemsBetween(from, to, key) {
  const skip = Math.max(0, from - 1);
  try {
    const part = await ask("POST", "/lists", { ...list.query, totals: undefined, skip, take: to + 2 - skip });
    await ask("DELETE", `/lists/${part.list}`);
    const rows = part.rows.map((item, at) => ({ item, place: placeBetween(part.rows[at - 1], part.rows[at + 1]), at: skip + at }));
    const within = rows.filter(({ at }) => at >= from && at <= to);
    if (key === undefined || within.some(({ item }) => keyOf(item) === key)) return within;
    say(`${key} has another place now: select from there once more`);
  } catch (why) {
    say(`The rows beyond the page cannot be selected: ${why.message}`);
  }
  return [];
}

// Rows.

/** Fills the cells of a row; `next` is what has the focus, or is about to. */
function fill(row, item, next = document.activeElement) {
  row.item = item;
  // What is typed into it stays; the rest is drawn when that ends.
  if (row.typing) return;
  const values = new Map(flat(item));
  const fresh = [...values.keys()].filter((name) => !names.includes(name));
  if (fresh.length > 0) {
    names.push(...fresh);
    headings();
  }
  for (const [name, value] of values) choices.note(name, value);
  row.setAttribute("aria-label", String(keyOf(item)));
  row.draggable = takesWrites && sort === "";
  const cells = names.map((name) => cell(row, name, values.get(name)));
  const remove = Object.assign(document.createElement("button"), { type: "button", className: "remove", textContent: "✕", disabled: !takesWrites });
  remove.setAttribute("aria-label", `Delete ${keyOf(item)}`);
  remove.addEventListener("click", () => removeRows([picked(row)]));
  // What was refused stays until somebody has seen to it.
  const refused = row.querySelector(".why");
  const all = [edge("handle", selected.box(row)), ...cells, edge("away", remove), ...(refused ? [refused] : [])];
  redrawn(row, () => row.replaceChildren(...all), next);
}

/** The cell before or after those of the fields: each has its heading, as the others have. */
function edge(className, content) {
  const cell = Object.assign(document.createElement("span"), { className });
  cell.setAttribute("role", "cell");
  cell.append(content);
  return cell;
}

function cell(row, name, value) {
  const cell = Object.assign(document.createElement("span"), { className: name === keyName ? "field key" : "field" });
  cell.setAttribute("role", "cell");
  cell.dataset.name = name;
  if (typeof value === "boolean") {
    const box = Object.assign(document.createElement("input"), { type: "checkbox", checked: value, disabled: !takesWrites });
    box.setAttribute("aria-label", `${titleOf(name)} of ${keyOf(row.item)}`);
    box.addEventListener("change", () => writes.change(row, name, box.checked));
    cell.append(box);
    return cell;
  }
  if (isNumber(value)) cell.classList.add("number");
  putMarked(cell, shown(value), typeof value === "string" ? searched : []);
  if (takesWrites && name !== keyName) {
    cell.tabIndex = 0;
    cell.addEventListener("click", () => type(row, cell, name, value));
    cell.addEventListener("keydown", (event) => {
      if (event.target === cell && (event.key === "Enter" || event.key === "F2")) {
        event.preventDefault();
        type(row, cell, name, value);
      }
    });
  }
  return cell;
}

/** Types into a cell: Enter keeps, Escape gives up. */
function type(row, cell, name, value) {
  if (cell.querySelector("input")) return;
  const [input, read] = inputFor(value);
  input.setAttribute("aria-label", `${titleOf(name)} of ${keyOf(row.item)}`);
  choices.offer(input, name);
  cell.replaceChildren(input);
  row.typing = true;
  row.draggable = false;
  input.focus();
  input.select?.();
  let ended = false;
  const end = (keep, next = document.activeElement) => {
    if (ended) return;
    let typed = value;
    try {
      if (keep) typed = read();
    } catch (why) {
      input.setCustomValidity(why.message);
      input.reportValidity();
      return;
    }
    ended = true;
    row.typing = false;
    fill(row, row.item, next);
    if (keep && JSON.stringify(typed ?? null) !== JSON.stringify(value ?? null)) writes.change(row, name, typed);
  };
  input.addEventListener("input", () => input.setCustomValidity(""));
  input.addEventListener("keydown", (event) => {
    if (event.key === "Enter") end(true);
    if (event.key === "Escape") end(false);
    event.stopPropagation();
  });
  // A row that is moved loses the focus for a moment, and gets it back.
  input.addEventListener("blur", (event) => { if (!applying) end(true, event.relatedTarget); });
}

/** A row that one works with, as `SelectedRows` gives it. */
const picked = (row) => ({ item: row.item, place: placeOf(row), row });

/** Where a row stands among its neighbours, as an address says it. */
const placeOf = (row) => placeBetween(neighbour(row, -1)?.item, neighbour(row, 1)?.item);

function placeBetween(above, below) {
  if (sort !== "" || (!above && !below)) return "";
  const place = new URLSearchParams();
  if (above) place.set("after", keyOf(above));
  if (below) place.set("before", keyOf(below));
  return `?${place}`;
}

const shownRows = () => [...document.querySelectorAll("#rows .row:not([aria-hidden])")];

function neighbour(row, by) {
  const rows = shownRows();
  return rows[rows.indexOf(row) + by];
}

/** Moves what is dragged above another row; with it all that is selected, when it is. */
function drop(row, over) {
  const rows = selected.has(row) ? selected.picked() : [picked(row)];
  const stay = shownRows().filter((other) => !rows.some((one) => one.row === other));
  const at = stay.indexOf(over);
  if (at >= 0) writes.move(rows, stay[at - 1]?.item, over.item);
}

/** The keys of rows that this page has asked to remove, and that are still there. */
const leaving = new Set();

async function removeRows(rows) {
  const keys = rows.map(({ item }) => keyOf(item));
  for (const key of keys) leaving.add(key);
  await writes.remove(rows);
  // The change set may come after the answer. What was refused stays, and may be removed by others later.
  setTimeout(() => keys.forEach((key) => leaving.delete(key)), 2000);
}

/** After a change: the focus is where it was. Where its row was removed from here, the next row has it. */
function refocus({ row, name }, at, scrolledAway) {
  if (row.isConnected && !row.hasAttribute("aria-hidden")) {
    if (!row.contains(document.activeElement)) focusIn(row, name);
  } else if (leaving.delete(keyOf(row.item))) {
    const rows = shownRows();
    focusIn(rows[Math.min(at, rows.length - 1)], name);
  } else if (!scrolledAway) {
    // No other row gets it: a key that was meant for this one would be for that one.
    say(`${keyOf(row.item)} has left the list.`);
  }
}

// Reordering, by dragging and by keys.

let dragged = null;
$("rows").addEventListener("dragstart", (event) => {
  dragged = event.target.closest?.(".row");
  event.dataTransfer?.setData("text/plain", String(dragged ? keyOf(dragged.item) : ""));
});
$("rows").addEventListener("dragover", (event) => {
  const over = event.target.closest(".row");
  if (!dragged || !over) return;
  event.preventDefault();
  for (const row of document.querySelectorAll(".over")) row.classList.remove("over");
  over.classList.add("over");
});
$("rows").addEventListener("drop", (event) => {
  event.preventDefault();
  const over = event.target.closest(".row");
  if (dragged && over && over !== dragged) drop(dragged, over);
});
$("rows").addEventListener("dragend", () => {
  dragged = null;
  for (const row of document.querySelectorAll(".over")) row.classList.remove("over");
});
$("rows").addEventListener("keydown", (event) => {
  const row = event.target.closest(".row");
  if (row && event.key === "Delete" && takesWrites) removeRows(selected.has(row) ? selected.picked() : [picked(row)]);
  if (!row || !event.altKey || !takesWrites) return;
  if (sort !== "") {
    if (/^Arrow(Up|Down)$/.test(event.key)) say("The list is sorted: rows are moved in the order of the source alone.");
    return;
  }
  const [above, below] = [neighbour(row, -1), neighbour(row, 1)];
  if (event.key === "ArrowUp" && above) writes.move([picked(row)], neighbour(row, -2)?.item, above.item);
  else if (event.key === "ArrowDown" && below) writes.move([picked(row)], below.item, neighbour(row, 2)?.item);
  else return;
  event.preventDefault();
});

$("table").addEventListener("keydown", (event) => {
  // Not those of sections that are closed.
  const rows = shownRows().filter((row) => row.getClientRects().length > 0);
  if (walk(event, [$("names"), ...rows])) event.preventDefault();
});

// The view, which change sets alone keep up to date.

const view = new SectionedElementList($("rows"), {
  create: (item) => {
    const row = Object.assign(document.createElement("div"), { className: "row" });
    row.setAttribute("role", "row");
    fill(row, item);
    return row;
  },
  update: fill,
  createSection: (section) => {
    const element = Object.assign(document.createElement("div"), { className: "section" });
    const rows = Object.assign(document.createElement("div"), { className: "rows" });
    rows.setAttribute("role", "rowgroup");
    const heading = document.createElement("h3");
    element.append(heading, rows);
    const parts = { element, rows, heading };
    name(parts, section);
    return parts;
  },
  updateSection: name,
  settle: () => settle(),
});

/** A section's heading, which hides its rows and shows them again. */
function name({ element, heading, rows }, section) {
  heading.hidden = section.key === undefined;
  if (heading.hidden) return;
  const text = section.heading === "" ? "none" : section.heading;
  const key = JSON.stringify(section.key);
  const toggle = Object.assign(document.createElement("button"), { type: "button" });
  const sign = document.createElement("span");
  sign.setAttribute("aria-hidden", "true");
  toggle.append(sign, text);
  const draw = () => {
    element.classList.toggle("closed", closed.has(key));
    sign.textContent = closed.has(key) ? "▸ " : "▾ ";
    toggle.setAttribute("aria-expanded", String(!closed.has(key)));
  };
  toggle.addEventListener("click", () => {
    if (!closed.delete(key)) closed.add(key);
    draw();
    noteAddress();
  });
  draw();
  rows.setAttribute("aria-label", text);
  const told = [`${section.count} ${section.count === 1 ? "row" : "rows"}`, ...(section.totals ?? []).map((total, at) => `${headingOf(sums[at])} ${shownTotal(total)} in all`)];
  const count = Object.assign(document.createElement("small"), { textContent: ` ${told.join(", ")}` });
  const hadFocus = heading.contains(document.activeElement);
  heading.replaceChildren(toggle, count);
  if (hadFocus) toggle.focus({ preventScroll: true });
}

/** A field's name as a person reads it, unless another would read the same. */
function headingOf(name) {
  const title = titleOf(name);
  return names.some((other) => other !== name && titleOf(other) === title) ? name : title;
}

function headings() {
  // As wide as what they hold, as far as there is room: longer texts are cut. In rem, since letters of the headings are wider.
  const wide = names.map((name) => 0.55 * (Math.min(Math.max(widths.get(name) ?? 8, name.length + 4), 26) + 2));
  const least = wide.map((width) => Math.min(width, 10));
  const columns = wide.map((width, at) => `minmax(${least[at]}rem, ${width}fr)`);
  $("table").style.setProperty("--columns", columns.join(" "));
  $("table").style.setProperty("--least", `${least.reduce((sum, width) => sum + width, 3.5)}rem`);
  $("table").classList.toggle("sorted", sort !== "");
  const every = Object.assign(document.createElement("input"), { type: "checkbox" });
  every.setAttribute("aria-label", "Select all rows that are in the page");
  every.addEventListener("change", () => (every.checked ? selected.all() : selected.clear()));
  const corner = Object.assign(document.createElement("span"), { className: "handle" });
  corner.setAttribute("role", "columnheader");
  corner.append(every);
  const cells = names.map((name) => {
    const cell = document.createElement("span");
    cell.setAttribute("role", "columnheader");
    cell.dataset.name = name;
    const sign = Object.assign(document.createElement("span"), { textContent: sort !== name ? "" : descending ? " ▼" : " ▲" });
    sign.setAttribute("aria-hidden", "true");
    cell.setAttribute("aria-sort", sort !== name ? "none" : descending ? "descending" : "ascending");
    const button = Object.assign(document.createElement("button"), { type: "button" });
    button.append(headingOf(name), sign);
    button.addEventListener("click", async () => {
      const before = [sort, descending];
      // Ascending, descending, and not at all.
      [sort, descending] = sort !== name ? [name, false] : descending ? ["", false] : [name, true];
      const order = sort === "" ? "In the order of the source" : `Sorted by ${titleOf(name)}, ${descending ? "descending" : "ascending"}`;
      if (await look({ sort: sortInText() })) say(order);
      else [sort, descending] = before;
    });
    cell.append(button);
    return cell;
  });
  const end = document.createElement("span");
  end.setAttribute("role", "columnheader");
  end.setAttribute("aria-label", "Delete");
  redrawn($("names"), () => $("names").replaceChildren(corner, ...cells, end));
  offerGroups($("group").value);
}

/** Offers the fields to group by, and the one that is chosen even where no row of the page has it. */
function offerGroups(chosen) {
  const offered = chosen === "" || names.includes(chosen) ? names : [...names, chosen];
  $("group").replaceChildren(new Option("nothing", ""), ...offered.map((name) => new Option(headingOf(name), name)));
  $("group").value = chosen;
}

/** A total with its digits grouped as the reader's locale does it; nothing where no row has a number. */
function shownTotal(total) {
  if (!isNumber(total)) return shown(total) || "nothing";
  const text = written(total);
  const fraction = Math.min(/\.(\d+)$/.exec(text)?.[1].length ?? 0, 20);
  return new Intl.NumberFormat(undefined, { minimumFractionDigits: fraction, maximumFractionDigits: Math.max(fraction, 3) }).format(text);
}

const rowCount = () => view.sections.reduce((sum, { section }) => sum + section.rows.length, 0);

/** Says something where it is not said already: a screen reader would tell it again. */
const tell = (id, text) => {
  if ($(id).textContent !== text) $(id).textContent = text;
};

function count() {
  const rows = rowCount();
  $("nothing").hidden = rows > 0;
  const asked = $("search").value.trim() !== "" || $("filter").value.trim() !== "";
  const away = connection === "loading" ? "The items are being loaded." : "The items could not be loaded.";
  tell("nothing", !loaded ? away : asked ? "No row matches." : "There are no items yet.");
  const shown = matching > rows && rows > 0 ? `rows ${scrolled.skip + 1}–${scrolled.skip + rows}` : rows;
  tell("state", loaded ? `${connection}, ${shown} of ${matching} rows` : connection);
  $("table").setAttribute("aria-rowcount", matching + 1);
  for (const [at, row] of shownRows().entries()) row.setAttribute("aria-rowindex", scrolled.skip + at + 2);
  scrolled.fit(rows, matching);
}

/** What is read stays where it is on the screen while the page gets other rows above, or another height. */
function held(act) {
  const anchor = anchorOf();
  act();
  anchor();
  scrolled.show();
}

/** The part of the list that was asked for last, until its rows have come; and whether that is for scrolling alone. */
let part = null;
let isScrolling = false;
/** How many other questions wait for their answer, and the version of the rows that answer the last one. */
let [asked, answered] = [0, 0];
/** Whether rows that leave have been scrolled away: not when the list is another one. */
const scrollsAway = () => isScrolling && asked === 0 && list.version > answered;

/** Looks whether that part has come, and which of the selected rows are in the page now. */
function arrive() {
  const hasCome = part !== null && list.version >= part.version;
  if (hasCome) scrolled.arrived(part.skip);
  selected.draw(scrollsAway());
  if (hasCome) [part, isScrolling] = [null, false];
}

const scrolled = new ScrolledRows({
  port: $("table"),
  above: $("above"),
  below: $("below"),
  rows: $("rows"),
  isBusy: () => dragged !== null || document.activeElement?.closest?.(".row .field input:not([type=checkbox])") != null,
  ask: (skip) => change({ skip, take: ROWS }, true),
});

const told = new Told($("told"), keyOf);
/** The list's sort as the server reads it. */
const sortInText = () => (sort === "" ? "" : `${descending ? "-" : ""}${nameInText(sort)}`);

/** How the list is grouped, and the totals that the headings tell: their names must be known before the headings come. */
function grouping() {
  const group = $("group").value === "" ? "" : nameInText($("group").value);
  sums = group === "" ? [] : [...numeric].filter((name) => name !== keyName);
  return { group, totals: sums.map((name) => `${nameInText(name)}:sum`).join(",") };
}

/** Puts what is asked into the address, in the place of what was asked before. */
function noteAddress() {
  const hash = hashOf({ search: $("search").value, filter: $("filter").value, group: $("group").value, sort, descending, closed: [...closed] });
  history.replaceState(null, "", `${location.pathname}${location.search}${hash}`);
}

/** The list that the address asks for. */
function askedByAddress() {
  const question = questionIn(location.hash);
  $("search").value = question.search;
  $("filter").value = question.filter;
  offerGroups(question.group);
  searched = words(question.search);
  [sort, descending] = [question.sort, question.descending];
  question.closed.forEach((key) => closed.add(key));
  const parts = { search: question.search, filter: question.filter, sort: sortInText(), group: grouping().group };
  return Object.fromEntries(Object.entries(parts).filter(([, text]) => text.trim() !== ""));
}

const list = new LiveList({ take: ROWS, ...askedByAddress() }, {
  onRows: (answer) => {
    [loaded, matching] = [true, answer.matching];
    // It may be another list, whose versions begin again.
    [part, isScrolling, answered] = [null, false, 0];
    scrolled.arrived(list.query.skip ?? 0);
    const sections = sectionsOf(answer);
    for (const item of answer.rows) {
      for (const [name, value] of flat(item)) {
        if (!names.includes(name)) names.push(name);
        widths.set(name, Math.max(widths.get(name) ?? 0, shown(value).length));
        if (isNumber(value)) numeric.add(name);
      }
    }
    headings();
    view.reset(sections);
    selected.draw();
    held(count);
    // Of a grouping that was in the address: which fields hold numbers is known by now.
    if ($("group").value !== "" && sums.length === 0) {
      const { totals } = grouping();
      if (totals !== "") change({ totals });
    }
  },
  onChanges: (changes) => {
    const typing = document.activeElement?.closest?.(".row .field input:not([type=checkbox])");
    const place = typing ? null : focused(document.activeElement?.closest?.("#rows .row *"));
    const at = place ? shownRows().indexOf(place.row) : -1;
    const isWhole = matching === rowCount();
    settle = anchorOf();
    applying = true;
    view.apply(changes);
    applying = false;
    settle = () => {};
    if (place) refocus(place, at, scrollsAway());
    arrive();
    if (isWhole && rowCount() < ROWS) matching = rowCount();
    if (typing?.closest(".row[aria-hidden]") || (typing && !typing.isConnected)) {
      say(`The row has left the list, and what was typed is not kept: ${typing.value}`);
    } else {
      typing?.focus({ preventScroll: true });
    }
    told.tell(changes, rowCount());
    held(count);
  },
  onMatching: (items) => {
    matching = items;
    held(count);
  },
  // The address may be one of another source, or the fields of this one others by now: the list is shown without that part.
  onRefused: (why) => {
    const part = problems.add(why.message, $("filter").value);
    const { [part]: refused, ...others } = list.query;
    if (refused === undefined) return false;
    if (part === "sort") sort = "";
    if (part === "group") {
      delete others.totals;
      sums = [];
      offerGroups("");
    }
    list.query = others;
    return true;
  },
  onState: (state, why) => {
    connection = why ? `${state}: ${why}` : state;
    count();
  },
});

/** Keeps what one reads where it is, when rows come and go above it. */
function anchorOf() {
  const edge = $("names").getBoundingClientRect().bottom;
  const table = $("table");
  const rows = [...document.querySelectorAll("#rows .row")];
  const first = rows.find((row) => row.getBoundingClientRect().bottom > edge);
  const before = first?.getBoundingClientRect().top ?? 0;
  const top = before < table.getBoundingClientRect().bottom ? first : undefined;
  const { scrollTop } = table;
  return () => {
    if (scrollTop === 0) return;
    const stays = top?.isConnected && !top.hasAttribute("aria-hidden");
    // Without a row to hold on to, the table may have been shorter for a moment.
    table.scrollTop = stays ? table.scrollTop + top.getBoundingClientRect().top - before : scrollTop;
  };
}

/** Another question is answered from its first row on; tells whether the server took it. */
async function look(parts) {
  if (!(await change({ ...parts, skip: 0, take: ROWS }))) return false;
  noteAddress();
  // The text of a filter is there as long as it is wrong; other parts were left out.
  problems.forget((part) => part !== "filter");
  $("table").scrollTop = 0;
  selected.forgetBeyond();
  return true;
}

/** Changes the query, which may be for scrolling alone; tells whether the server took it. */
async function change(parts, scrolls = false) {
  isScrolling = scrolls;
  if (!scrolls) asked += 1;
  try {
    const answer = await list.change(parts);
    if (!scrolls) answered = answer.version;
    part = { skip: answer.query.skip ?? 0, version: answer.version };
    arrive();
    if ("sort" in parts) {
      headings();
      for (const row of document.querySelectorAll("#rows .row")) row.draggable = takesWrites && sort === "";
    }
    held(count);
    problems.forget((part) => part === "" || part in parts);
    return true;
  } catch (why) {
    isScrolling = false;
    problems.add(why.message, $("filter").value);
    return false;
  } finally {
    if (!scrolls) asked -= 1;
  }
}

const later = (act, wait) => {
  let timer;
  return () => {
    clearTimeout(timer);
    timer = setTimeout(act, wait);
  };
};
$("search").addEventListener("input", later(async () => {
  searched = words($("search").value);
  await look({ search: $("search").value });
  for (const row of document.querySelectorAll("#rows .row:not([aria-hidden])")) {
    if (!row.contains(document.activeElement)) fill(row, row.item);
  }
}, 60));
$("filter").addEventListener("input", later(() => look({ filter: $("filter").value }), 250));
$("group").addEventListener("change", () => look(grouping()));
$("query").addEventListener("submit", (event) => event.preventDefault());
// Another address, typed or from a link.
window.addEventListener("hashchange", () => location.reload());

// Adding.

$("add").disabled = !takesWrites;
$("add").addEventListener("click", () => {
  const first = view.sections.find(({ section }) => section.rows.length > 0)?.section.rows[0];
  askForItem({ sample: first ?? { [keyName]: "" }, names, keyName, choices, add: (item) => writes.add(item) });
});

list.open();
