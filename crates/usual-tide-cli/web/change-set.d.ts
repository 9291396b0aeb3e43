/** A key of an item: text or an integer, and `"1"` is not `1`. */
export type Key = string | number;

/** A change set as `ChangeSet::to_json` writes it; positions count from 0. */
export interface ChangeSet<Item> {
  before: number;
  after: number;
  removed: { at: number; key?: Key }[];
  inserted: { at: number; key?: Key; item: Item }[];
  moved: { from: number; to: number; key?: Key }[];
  updated: { from: number; to: number; key?: Key; fields?: string[]; item: Item }[];
}

/** A place in a grouped list. */
export interface SectionRow {
  section: number;
  row: number;
}

/** A section of a grouped list. */
export interface Section<Item> {
  key?: unknown;
  heading: string;
  count: number;
  totals?: unknown[];
  collapsed?: boolean;
  rows: Item[];
}

/** A change set by section, as `SectionChanges::to_json` writes it. */
export interface SectionChangeSet<Item> {
  sections: {
    before: number;
    after: number;
    removed: { at: number }[];
    inserted: ({ at: number } & Omit<Section<Item>, "rows">)[];
    moved: { from: number; to: number }[];
    updated: ({ from: number; to: number; fields?: string[] } & Omit<Section<Item>, "rows">)[];
  };
  removed: { at: SectionRow; key?: Key }[];
  inserted: { at: SectionRow; key?: Key; item: Item }[];
  moved: { from: SectionRow; to: SectionRow; key?: Key }[];
  updated: { from: SectionRow; to: SectionRow; key?: Key; fields?: string[]; item: Item }[];
}

/** A change set does not fit the rows that it is applied to. They are as they were. */
export class ChangeSetError extends Error {}

/** Applies a change set to an array of items, in place. */
export function applyChanges<Item>(rows: Item[], changes: ChangeSet<Item>): Item[];

/** Applies a change set by section to an array of sections, in place. */
export function applySectionChanges<Item>(
  sections: Section<Item>[],
  changes: SectionChangeSet<Item>,
): Section<Item>[];

export interface ElementListOptions<Item, Row extends Element = HTMLElement> {
  /** Makes the element of an item. */
  create: (item: Item) => Row;
  /** Changes the element of an item that is another now; without it, the element is made anew. */
  update?: (element: Row, item: Item) => void;
  /** How long elements slide and fade, in milliseconds; 180 unless said otherwise, 0 for not at all. */
  duration?: number;
  /** Called when all elements are in their places, before they slide: to scroll, so that what one reads stays. */
  settle?: () => void;
}

/** The children of an element as the rows of a list. */
export class ElementList<Item, Row extends Element = HTMLElement> {
  constructor(container: Element, options: ElementListOptions<Item, Row>);
  readonly container: Element;
  /** The elements of the rows, in order; those that are fading are not among them. */
  readonly elements: Row[];
  reset(rows: Item[]): void;
  apply(changes: ChangeSet<Item>): void;
  /** The same without sliding. */
  place(changes: ChangeSet<Item>): void;
}

/** The element of a section, and the one within it for its rows. */
export interface SectionParts {
  element: Element;
  rows: Element;
}

/** Sections with their rows as elements. */
export class SectionedElementList<Item, Row extends Element = HTMLElement> {
  constructor(
    container: Element,
    options: ElementListOptions<Item, Row> & {
      createSection: (section: Section<Item>) => SectionParts;
      updateSection?: (parts: SectionParts, section: Section<Item>) => void;
    },
  );
  reset(sections: Section<Item>[]): void;
  apply(changes: SectionChangeSet<Item>): void;
}
