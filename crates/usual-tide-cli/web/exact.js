// JSON whose numbers keep their digits: `1.50`, and those of more digits than JavaScript's numbers have. Browsers that cannot do that
// read them as they read all numbers.

const KEEPS_DIGITS = typeof JSON.rawJSON === "function";

const asWritten = (_, value, { source }) =>
  typeof value === "number" && String(value) !== source ? JSON.rawJSON(source) : value;

/** Reads JSON. A number that JavaScript would write in another way is what `isExact` tells, and is written as it was. */
export const parse = (text) => (KEEPS_DIGITS ? JSON.parse(text, asWritten) : JSON.parse(text));

/** Whether a value is such a number. */
export const isExact = (value) => KEEPS_DIGITS && JSON.isRawJSON(value);

export const isNumber = (value) => typeof value === "number" || isExact(value);

/** A value as text, with all its digits. */
export const written = (value) => (isExact(value) ? value.rawJSON : String(value));
