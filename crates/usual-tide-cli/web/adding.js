// The form in which a new item is filled in.

import { flat, inputFor, patchOf } from "./cells.js";
import { isExact, isNumber } from "./exact.js";
import { titleOf } from "./names.js";

/**
 * Asks for a new item with these fields.
 *
 * @param sample an item, whose values tell how each field is typed
 * @param names the names of the fields, of which `keyName` is the key and must be filled in
 * @param choices offers values that others have
 * @param add takes the item, or throws why it is refused
 */
export function askForItem({ sample, names, keyName, choices, add }) {
  const dialog = document.createElement("dialog");
  const form = document.createElement("form");
  const fields = fieldsOf(new Map(flat(sample)), names, keyName, choices);
  const problem = Object.assign(document.createElement("p"), { className: "why" });
  problem.setAttribute("role", "alert");
  const menu = document.createElement("menu");
  const cancel = Object.assign(document.createElement("button"), { type: "button", textContent: "Cancel" });
  cancel.addEventListener("click", () => dialog.close());
  menu.append(cancel, Object.assign(document.createElement("button"), { textContent: "Add at the start" }));
  form.append(...fields.map(({ label }) => label), problem, menu);
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    let item = {};
    try {
      for (const { name, read } of fields) item = merge(item, patchOf(name, trimmed(read(), name === keyName)));
      await add(item);
      dialog.close();
    } catch (why) {
      problem.textContent = why.message;
      problem.scrollIntoView({ block: "nearest" });
    }
  });
  dialog.append(form);
  dialog.addEventListener("close", () => dialog.remove());
  document.body.append(dialog);
  dialog.showModal();
}

function fieldsOf(sample, names, keyName, choices) {
  return names.map((name) => {
    const example = sample.get(name);
    const isBox = typeof example === "boolean";
    const box = Object.assign(document.createElement("input"), { type: "checkbox" });
    const like = isNumber(example) ? 0 : typeof example === "string" && name !== keyName ? example : "";
    const [input, read] = isBox ? [box, () => box.checked] : inputFor(like);
    if (!isBox) input.value = "";
    const label = document.createElement("label");
    label.append(titleOf(name), input);
    input.required = name === keyName;
    choices.offer(input, name);
    return { name, read, label };
  });
}

/** What was typed, without blanks around it; nothing where nothing else was typed. A key is taken as it is. */
function trimmed(value, isKey) {
  if (typeof value !== "string" || isKey) return value;
  return value.trim() === "" ? null : value.trim();
}

function merge(one, other) {
  const both = { ...one };
  for (const [name, value] of Object.entries(other)) {
    const areObjects = [both[name], value].every((one) => one && typeof one === "object" && !isExact(one));
    both[name] = areObjects ? merge(both[name], value) : value;
  }
  return both;
}
