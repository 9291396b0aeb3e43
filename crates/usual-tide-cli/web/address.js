// What the page shows, in its address: a reload, a bookmark and a link show the same list.

/** What an address asks for, by the part of it after `#`. */
export function questionIn(hash) {
  const parts = new URLSearchParams(hash.replace(/^#/, ""));
  const text = (name) => parts.get(name) ?? "";
  return {
    search: text("search"),
    filter: text("filter"),
    group: text("group"),
    sort: text("sort"),
    descending: parts.get("order") === "descending",
    /** The sections whose rows are hidden, by their keys as JSON. */
    closed: parts.getAll("closed"),
  };
}

/** The part of the address for what is asked; empty for all items in the order of the source. */
export function hashOf({ search, filter, group, sort, descending, closed }) {
  const parts = new URLSearchParams();
  for (const [name, text] of Object.entries({ search, filter, group, sort })) {
    if (text.trim() !== "") parts.set(name, text);
  }
  if (parts.has("sort") && descending) parts.set("order", "descending");
  if (parts.has("group")) closed.forEach((key) => parts.append("closed", key));
  const text = parts.toString();
  return text === "" ? "" : `#${text}`;
}
