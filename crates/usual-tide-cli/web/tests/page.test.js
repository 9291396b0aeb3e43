// Tests of what the page is made of that needs no browser. Run by `cargo test`.

import assert from "node:assert/strict";
import { test } from "node:test";
import { hashOf, questionIn } from "../address.js";
import { Choices } from "../choices.js";
import { flat, inputFor, patchOf, putMarked, shown, words } from "../cells.js";
import { nameInText, nameOf, titleOf, wayOf } from "../names.js";
import { Problems } from "../problems.js";
import { Places, ROWS, wanted } from "../scrolled.js";
import { moveInWords, sectionsAfter } from "../told.js";
import { ask, Refused, sectionsOf } from "../live-list.js";

/** As much of an element as a cell needs. */
class FakeCell {
  constructor() {
    this.parts = [];
  }
  replaceChildren() {
    this.parts = [];
  }
  append(...parts) {
    this.parts.push(...parts.map((part) => (typeof part === "string" ? part : { mark: part.textContent })));
  }
}

test("nested values have dotted names", () => {
  const item = { id: 1, fee: { amount: "4.50", tax: { rate: 7 } }, tags: ["a"], note: null };
  assert.deepEqual(flat(item), [["id", 1], ["fee.amount", "4.50"], ["fee.tax.rate", 7], ["tags", ["a"]], ["note", null]]);
  assert.deepEqual(patchOf("fee.tax.rate", 8), { fee: { tax: { rate: 8 } } });
});

test("names of any letters are told from ways into objects", () => {
  const item = { "a.b": 1, a: { b: 2, "c/d": 3 }, "km/h": 4, "": 5, "/": 6, "~": 7 };
  const odd = JSON.parse('{"__proto__": 8, "-x, y": 9}');
  for (const [name, value] of [...flat(item), ...flat(odd)]) {
    assert.equal(nameOf(wayOf(name)), name);
    const patch = patchOf(name, "new");
    assert.deepEqual(flat(patch), [[name, "new"]], name);
    assert.notEqual(value, undefined);
  }
  assert.deepEqual(flat(item).map(([name]) => name), ["/a.b", "a.b", "/a/c~1d", "km/h", "/", "/~1", "~"]);
  assert.deepEqual(["/a.b", "a.b", "km/h", "/"].map(titleOf), ["a.b", "a.b", "km/h", ""]);
  // As a sort names it.
  const asked = ["height_mm", "fee.amount", "/a.b", "-z", "x, y", 'say "no"', '"', "a:sum", " a"].map(nameInText);
  assert.deepEqual(asked, ["height_mm", "/fee/amount", "/a.b", '"-z"', '"x, y"', 'say "no"', '""""', '"a:sum"', '" a"']);
});

test("a move is told by the section that it is in, wherever that is by now", () => {
  const at = (section, row) => ({ section, row });
  // One section gone, one new at the start, the last two changed places.
  const stay = sectionsAfter({ before: 4, removed: [{ at: 0 }], inserted: [{ at: 0 }], moved: [{ from: 3, to: 2 }] });
  assert.deepEqual(stay, [-1, 1, 3, 2]);
  const told = (from, to) => moveInWords({ key: "P-1", from, to }, stay);
  assert.equal(told(at(0, 0), at(0, 0)), "moved P-1 to number 1 of section 1");
  assert.equal(told(at(2, 0), at(3, 1)), "moved P-1 from number 1 to number 2");
  assert.equal(told(at(3, 4), at(2, 4)), "moved P-1 past others: it still has number 5");
  assert.equal(told(at(1, 4), at(2, 4)), "moved P-1 to number 5 of section 3");
});

test("a column of few values offers them, and no other", () => {
  const choices = new Choices();
  for (let row = 0; row < 30; row += 1) {
    choices.note("glaze", ["tenmoku", "celadon", null, "ash"][row % 4]);
    choices.note("title", `Bowl ${row}`);
    choices.note("height", row % 3);
    choices.note("shelf", row === 0 ? "A1" : null);
  }
  assert.deepEqual(choices.of("glaze"), ["ash", "celadon", "tenmoku"]);
  for (const other of ["title", "height", "shelf", "unknown"]) assert.deepEqual(choices.of(other), []);
  choices.note("glaze", "clear");
  assert.deepEqual(choices.of("glaze"), ["ash", "celadon", "clear", "tenmoku"]);
});

test("the rows around what is seen are in the page", () => {
  const at = (first, skip, matching = 10_000) => wanted({ first, last: Math.min(first + 20, matching), skip, shown: Math.min(ROWS, matching - skip), matching });
  // There are enough beyond what is seen.
  for (const first of [0, 50, 139]) assert.equal(at(first, 0), 0);
  assert.equal(at(150, 0), 60);
  assert.equal(at(300, 200), 200);
  assert.equal(at(230, 200), 140);
  // The ends of the list, and a list that fits.
  assert.equal(at(20, 200), 0);
  assert.equal(at(9_980, 0), 9_800);
  assert.equal(at(9_980, 9_800), 9_800);
  assert.equal(at(30, 0, 50), 0);
  assert.equal(at(30, 40, 50), 0);
  // Wherever one looks, what is asked for has it.
  for (let first = 0; first < 10_000; first += 37) {
    const skip = at(first, 5_000);
    assert.ok(skip <= first && Math.min(first + 20, 10_000) <= skip + ROWS);
  }
});

test("a list of any length is no higher than a browser can draw, and each row has its place", () => {
  for (const [matching, height] of [[50, 32], [100_000, 32], [100_000, 290], [5_000_000, 32]]) {
    for (const skip of [0, Math.floor(matching / 3), Math.max(0, matching - ROWS)]) {
      const shown = Math.min(ROWS, matching - skip);
      const places = new Places({ skip, shown, matching, height });
      assert.ok(places.above + places.below + shown * height < 10_100_000);
      // Where all rows fit, they are drawn where they would be.
      if (matching * height < 10_000_000) assert.equal(places.above, skip * height);
      for (const row of [0, skip, skip + 0.5, skip + shown - 1, matching - 1]) {
        const pixels = places.has(row) ? places.pixelsOf(row)
          : row < skip ? row * places.drawn : places.above + shown * height + (row - skip - shown) * places.drawn;
        assert.ok(Math.abs(places.rowAt(pixels) - row) < 1e-6, `${row} of ${matching} from ${skip}`);
      }
    }
  }
});

test("words are marked whatever their case and accents", () => {
  globalThis.document = { createElement: () => ({}) };
  const marked = (text, search) => {
    const cell = new FakeCell();
    putMarked(cell, text, words(search));
    return cell.parts;
  };
  assert.deepEqual(marked("Café plate", "cafe"), [{ mark: "Café" }, " plate"]);
  assert.deepEqual(marked("Café plate", "LATE c"), [{ mark: "C" }, "afé p", { mark: "late" }]);
  assert.deepEqual(marked("<b>bowl</b>", "b"), ["<", { mark: "b" }, ">", { mark: "b" }, "owl</", { mark: "b" }, ">"]);
  assert.deepEqual(marked("Mug", ""), ["Mug"]);
  delete globalThis.document;
});

test("values are shown as a person reads them, and read as what they are", () => {
  assert.equal(shown(null), "");
  assert.equal(shown(12.5), "12.5");
  assert.equal(shown("2026-03-05"), new Date(2026, 2, 5).toLocaleDateString());
  assert.equal(shown("no day 2026-03-05"), "no day 2026-03-05");
  globalThis.document = { createElement: () => ({}) };
  const read = (value, typed) => {
    const [input, get] = inputFor(value);
    input.value = typed;
    return get();
  };
  assert.equal(read(90, " 95 "), 95);
  assert.equal(read(90, "-007.5"), -7.5);
  assert.throws(() => read(90, "9o"), /9o is not a number/);
  assert.equal(read(90, ""), null);
  assert.equal(read("2026-03-05", "2026-04-01"), "2026-04-01");
  assert.deepEqual(read(["a"], '["b"]'), ["b"]);
  assert.equal(read(null, ""), null);
  delete globalThis.document;
});

test("rows are put into the sections that they are in", () => {
  const rows = [{ id: 1 }, { id: 2 }, { id: 3 }];
  assert.deepEqual(sectionsOf({ rows }), [{ heading: "", count: 3, rows }]);
  const sections = [{ key: "A", heading: "A", count: 9, rows: 1 }, { key: "B", heading: "B", count: 2, rows: 2 }];
  assert.deepEqual(sectionsOf({ rows, sections }), [
    { key: "A", heading: "A", count: 9, rows: [{ id: 1 }] },
    { key: "B", heading: "B", count: 2, rows: [{ id: 2 }, { id: 3 }] },
  ]);
});

test("what the server refuses is told in its words", async () => {
  const answers = (status, text) => {
    globalThis.fetch = async () => ({ status, ok: status < 300, statusText: "no", text: async () => text });
  };
  answers(422, '{"detail": "the shelf is full"}');
  await assert.rejects(ask("GET", "/"), new Refused(422, "the shelf is full"));
  answers(204, "");
  assert.equal(await ask("DELETE", "/"), null);
  answers(200, "{");
  await assert.rejects(ask("GET", "/"), /cannot be read/);
  globalThis.fetch = async () => { throw new TypeError("no network"); };
  await assert.rejects(ask("GET", "/"), /the server does not answer/);
});

test("an address asks for the list that it was made for", () => {
  const all = { search: "raku bowl", filter: "\"km/h\" > 2 AND note = '50 % & #1'", group: "a.b", sort: "-z", descending: true, closed: ['"A1"', "null"] };
  const none = { search: "", filter: "", group: "", sort: "", descending: false, closed: [] };
  for (const question of [all, none, { ...all, descending: false }, { ...none, search: "ä+ß" }]) {
    assert.deepEqual(questionIn(hashOf(question)), question);
  }
  assert.equal(hashOf(none), "");
  assert.equal(hashOf({ ...none, search: " ", descending: true, closed: ["1"] }), "");
  assert.deepEqual(questionIn("#%ff&=&nothing&search"), none);
});

test("what is wrong is told until that part of the query is another one", () => {
  let told = "";
  const problems = new Problems((text) => { told = text; });
  assert.equal(problems.add("filter: column 3: there is no field", "a b = 1"), "filter");
  assert.equal(told, "a b = 1\n  ^ there is no field");
  assert.equal(problems.add("sort: column 1: there is no field", "a b = 1"), "sort");
  assert.equal(problems.add("the server does not answer", ""), "");
  assert.equal(told, "a b = 1\n  ^ there is no field\nsort: column 1: there is no field\nthe server does not answer");
  problems.forget((part) => part !== "filter");
  assert.equal(told, "a b = 1\n  ^ there is no field");
  problems.add("filter: it is too long", "x");
  assert.equal(told, "filter: it is too long");
  problems.forget(() => true);
  assert.equal(told, "");
});
