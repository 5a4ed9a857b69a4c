/**
 * Stands in for schemas and edits in the page that is handed out: what is in it was checked when it was made and stays
 * as it is, and checking would be half of its code. Whatever a schema is asked for gives itself, and what it is given
 * is as it should be.
 */
const TAKES: Readonly<Record<string, (value: unknown) => unknown>> = {
  parse: (value) => value,
  safeParse: (value) => ({ success: true, data: value }),
};
const nothing: unknown = new Proxy(() => {}, {
  get: (_, name) => (name === Symbol.iterator ? [][Symbol.iterator].bind([]) : (TAKES[String(name)] ?? nothing)),
  apply: () => nothing,
});
export const z = nothing;
export default nothing;

/** Nothing is being edited. */
export const isDraft = (): boolean => false;
export const freeze = <T>(value: T): T => value;
const none = (): never => {
  throw new Error("Nothing is edited here.");
};

export {
  none as applyPatches,
  none as current,
  none as enablePatches,
  none as original,
  none as produce,
  none as produceWithPatches,
};
