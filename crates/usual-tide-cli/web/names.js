// Names of fields, as the server reads them.

/**
 * The name of the field that is reached by these members: dotted, or a JSON Pointer (RFC 6901) where what is in a member's own
 * name would read otherwise.
 */
export function nameOf(way) {
  const isPlain = (name) => name !== "" && !/[./~]/.test(name);
  if (way.length === 1 && way[0] !== "" && !/^\/|\./.test(way[0])) return way[0];
  return way.every(isPlain) ? way.join(".") : pointerTo(way);
}

const pointerTo = (way) => way.map((name) => `/${name.replaceAll("~", "~0").replaceAll("/", "~1")}`).join("");

/** The members by which a field is reached. */
export function wayOf(name) {
  if (!name.startsWith("/")) return name.split(".");
  return name.slice(1).split("/").map((part) => part.replaceAll("~1", "/").replaceAll("~0", "~"));
}

/** A name as a person reads it. */
export function titleOf(name) {
  const way = wayOf(name);
  return way.length === 1 ? way[0] : name;
}

/** A name as sorts, groupings and totals have it: in quotes where a sign, a comma or a colon would mean something else. */
export function nameInText(name) {
  const way = wayOf(name);
  // A member with dots in its own name would come before a way.
  const one = way.length > 1 ? pointerTo(way) : name;
  return /^[-+"\s]|[,:]|\s$/.test(one) ? `"${one.replaceAll('"', '""')}"` : one;
}
