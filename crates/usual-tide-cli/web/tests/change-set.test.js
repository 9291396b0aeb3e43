// Tests of change-set.js: change sets that the library made, one a line in the file that CHANGE_SETS names, applied to arrays
// and to elements. Run by `cargo test`.

import assert from "node:assert/strict";
import { readFileSync } from "node:fs";
import { test } from "node:test";
import {
  applyChanges,
  applySectionChanges,
  ChangeSetError,
  ElementList,
  SectionedElementList,
} from "../change-set.js";

const cases = readFileSync(process.env.CHANGE_SETS, "utf8").trim().split("\n").map((line) => JSON.parse(line));

/** As much of an element as the module uses; counts what is done to its children. */
class FakeElement {
  constructor(text = "") {
    this.text = text;
    this.children = [];
    this.parentNode = null;
    this.style = {};
    this.done = { put: 0, removed: 0 };
    this.animations = [];
  }
  get nextSibling() {
    const siblings = this.parentNode?.children ?? [];
    return siblings[siblings.indexOf(this) + 1] ?? null;
  }
  replaceChildren(...children) {
    this.children = children;
    for (const child of children) child.parentNode = this;
  }
  insertBefore(element, next) {
    if (element.parentNode) element.parentNode.children = element.parentNode.children.filter((child) => child !== element);
    assert.ok(next === null || this.children.includes(next), "the element after it is there");
    this.children.splice(next ? this.children.indexOf(next) : this.children.length, 0, element);
    element.parentNode = this;
    this.done.put += 1;
  }
  remove() {
    this.parentNode.children = this.parentNode.children.filter((child) => child !== this);
    this.parentNode.done.removed += 1;
    this.parentNode = null;
  }
  replaceWith(other) {
    const siblings = this.parentNode.children;
    siblings[siblings.indexOf(this)] = other;
    other.parentNode = this.parentNode;
    this.parentNode = null;
  }
  getBoundingClientRect() {
    return { left: 0, top: 20 * (this.parentNode?.children.indexOf(this) ?? 0) };
  }
  setAttribute(name, value) {
    this[name] = value;
  }
  animate(frames) {
    this.animations.push(frames);
    return { finished: Promise.resolve() };
  }
}

const text = (item) => JSON.stringify(item);
const options = {
  create: (item) => new FakeElement(text(item)),
  update: (element, item) => { element.text = text(item); },
  duration: 0,
};
const texts = (container) => container.children.map((element) => element.text);

test("arrays have the rows after", () => {
  for (const { before, changes, after } of cases) {
    assert.deepEqual(applyChanges([...before], changes), after);
  }
});

test("sections have the rows after", () => {
  for (const { sectionsBefore, bySection, sectionsAfter } of cases) {
    assert.deepEqual(applySectionChanges(structuredClone(sectionsBefore), bySection), sectionsAfter);
  }
});

test("elements have the rows after, and no other is touched than those that the set names", () => {
  for (const { before, changes, after } of cases) {
    const container = new FakeElement();
    const list = new ElementList(container, options);
    list.reset(before);
    const elements = new Map(before.map((item, at) => [item.id, container.children[at]]));
    list.apply(changes);
    assert.deepEqual(texts(container), after.map(text));
    assert.deepEqual(list.elements, container.children);
    assert.deepEqual(container.done, {
      put: changes.inserted.length + changes.moved.length,
      removed: changes.removed.length,
    });
    const arrived = new Set(changes.inserted.map(({ at }) => at));
    after.forEach((item, at) => {
      if (!arrived.has(at)) assert.equal(container.children[at], elements.get(item.id), "a kept row keeps its element");
    });
  }
});

test("elements are made anew where nothing says how they are changed", () => {
  for (const { before, changes, after } of cases.slice(0, 500)) {
    const container = new FakeElement();
    const list = new ElementList(container, { create: options.create, duration: 0 });
    list.reset(before);
    list.apply(changes);
    assert.deepEqual(texts(container), after.map(text));
  }
});

test("elements in sections have the rows after", () => {
  for (const { sectionsBefore, bySection, sectionsAfter } of cases) {
    const container = new FakeElement();
    const list = new SectionedElementList(container, {
      ...options,
      createSection: (section) => {
        const [element, rows] = [new FakeElement(section.heading), new FakeElement()];
        element.rows = rows;
        return { element, rows };
      },
      updateSection: ({ element }, section) => { element.text = section.heading; },
    });
    list.reset(structuredClone(sectionsBefore));
    list.apply(bySection);
    assert.deepEqual(texts(container), sectionsAfter.map((section) => section.heading));
    container.children.forEach((element, at) => {
      assert.deepEqual(texts(element.rows), sectionsAfter[at].rows.map(text));
    });
  }
});

test("what moves slides from where it was, and what leaves fades", async () => {
  const container = new FakeElement();
  const list = new ElementList(container, { ...options, duration: 100 });
  list.reset([1, 2, 3]);
  const [one, two, three] = container.children;
  list.apply({ before: 3, after: 2, removed: [{ at: 1 }], inserted: [], moved: [{ from: 2, to: 0 }], updated: [] });
  assert.deepEqual(list.elements, [three, one]);
  assert.equal(two.style.position, "absolute");
  assert.equal(two.inert, true);
  assert.equal(two.animations.length, 1);
  assert.deepEqual(three.animations[0][0], { transform: "translate(0px, 40px)" });
  await Promise.resolve();
  await Promise.resolve();
  assert.ok(!container.children.includes(two), "faded, it is gone");
});

test("who asks for less motion gets none", () => {
  globalThis.matchMedia = () => ({ matches: true });
  const container = new FakeElement();
  const list = new ElementList(container, { ...options, duration: 100 });
  list.reset([1, 2]);
  const [one] = container.children;
  list.apply({ before: 2, after: 1, removed: [{ at: 0 }], inserted: [], moved: [], updated: [] });
  assert.equal(one.animations.length, 0);
  assert.equal(container.children.length, 1);
  delete globalThis.matchMedia;
});

test("a set that does not fit is refused, and nothing is changed", () => {
  const none = { before: 2, after: 2, removed: [], inserted: [], moved: [], updated: [] };
  const misfits = [
    { ...none, before: 3 },
    { ...none, removed: [{ at: 2 }] },
    { ...none, removed: [{ at: 0 }, { at: 0 }] },
    { ...none, after: 3, inserted: [{ at: 5, item: 9 }] },
    { ...none, after: 3 },
    { ...none, moved: [{ from: 0, to: 4 }] },
    { ...none, updated: [{ from: 0, to: 2, item: 9 }] },
    { ...none, updated: [{ from: 0, to: -1, item: 9 }] },
  ];
  for (const changes of misfits) {
    const rows = [1, 2];
    assert.throws(() => applyChanges(rows, changes), ChangeSetError);
    assert.deepEqual(rows, [1, 2]);
    const container = new FakeElement();
    const list = new ElementList(container, options);
    list.reset([1, 2]);
    assert.throws(() => list.apply(changes), ChangeSetError);
    assert.deepEqual(texts(container), ["1", "2"]);
    assert.deepEqual(container.done, { put: 0, removed: 0 });
  }
});
