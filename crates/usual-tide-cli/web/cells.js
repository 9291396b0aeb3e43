// What the cells of a row show, and how they are typed into.

import { isExact, isNumber, parse, written } from "./exact.js";
import { nameOf, wayOf } from "./names.js";

const isObject = (value) => value !== null && typeof value === "object" && !Array.isArray(value) && !isExact(value);

/** The values of an item by the names of their fields, also those in objects. */
export function flat(item, way = []) {
  return Object.entries(item).flatMap(([name, value]) =>
    isObject(value) ? flat(value, [...way, name]) : [[nameOf([...way, name]), value]]);
}

const DAY = /^\d{4}-\d{2}-\d{2}$/;
const MOMENT = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}/;

/** A value as a person reads it: days and moments as the reader's locale has them. */
export function shown(value) {
  if (value === undefined || value === null) return "";
  if (typeof value === "string") {
    if (DAY.test(value)) return new Date(`${value}T00:00`).toLocaleDateString();
    if (MOMENT.test(value) && !Number.isNaN(Date.parse(value))) return new Date(value).toLocaleString();
    return value;
  }
  return typeof value === "object" && !isExact(value) ? JSON.stringify(value) : written(value);
}

const folded = (text) => text.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase();

/** Puts a text into an element, with the words that are searched for marked. */
export function putMarked(element, text, words) {
  element.replaceChildren();
  const letters = [...text];
  const plain = letters.map(folded);
  const marked = new Array(letters.length).fill(false);
  for (const word of words) {
    for (let at = 0; at < letters.length; at += 1) {
      let end = at;
      let found = "";
      while (found.length < word.length && end < letters.length) found += plain[end++];
      if (word !== "" && found === word) marked.fill(true, at, end);
    }
  }
  for (let at = 0; at < letters.length;) {
    let end = at;
    while (end < letters.length && marked[end] === marked[at]) end += 1;
    const part = letters.slice(at, end).join("");
    if (marked[at]) element.append(Object.assign(document.createElement("mark"), { textContent: part }));
    else element.append(part);
    at = end;
  }
}

export const words = (search) => folded(search).split(/\s+/u).filter((word) => word !== "");

/** An input for a value of this kind, and what reads it again. */
export function inputFor(value) {
  const input = document.createElement("input");
  if (isNumber(value)) {
    input.inputMode = "decimal";
    input.value = written(value);
    return [input, () => {
      const typed = input.value.trim();
      if (typed === "") return null;
      if (!/^-?\d+(\.\d+)?([eE][+-]?\d+)?$/.test(typed)) throw new Error(`${typed} is not a number`);
      return parse(typed.replace(/^(-?)0+(?=\d)/, "$1"));
    }];
  }
  if (typeof value === "string" && DAY.test(value)) {
    input.type = "date";
    input.value = value;
    return [input, () => (input.value === "" ? null : input.value)];
  }
  input.value = value === null || value === undefined ? "" : typeof value === "string" ? value : JSON.stringify(value);
  return [input, () => {
    if (typeof value === "object" && value !== null) return parse(input.value);
    return input.value === "" && (value === null || value === undefined) ? null : input.value;
  }];
}

/** A merge patch that sets a field by its name. */
export function patchOf(name, value) {
  return wayOf(name).reduceRight((inner, part) => ({ [part]: inner }), value);
}
