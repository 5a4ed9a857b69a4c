import type { HandMove, Key } from "../document/sequence";

/** Takes a channel out of an arrival. */
export function dropChannel(key: Key, channel: string): void {
  delete key.values[channel];
  if (key.shapes) delete key.shapes[channel];
  if (key.split) key.split = key.split.filter((c) => c !== channel);
}

export const isEmpty = (key: Key): boolean => Object.keys(key.values).length === 0 && !key.orientation;

/**
 * Puts arrivals of a move that are at the same time and come the same way into one, so that what arrives together
 * is one pin. `fresh` are those that may go; the others keep their ids.
 */
export function gather(move: HandMove, fresh: ReadonlySet<string>): void {
  for (const key of Object.values(move.keys)) {
    if (!fresh.has(key.id)) continue;
    const into = Object.values(move.keys).find(
      (k) =>
        k.id !== key.id &&
        k.at === key.at &&
        k.lead === key.lead &&
        !(k.orientation && key.orientation) &&
        !Object.keys(key.values).some((c) => c in k.values) &&
        (alike(k, key) || shaped(key) || shaped(k)),
    );
    if (!into) continue;
    // Where only one of the two is eased, its ease is the one that counts.
    if (shaped(into) && !shaped(key)) into.ease = key.ease;
    Object.assign(into.values, key.values);
    if (key.orientation) into.orientation = key.orientation;
    if (key.shapes && Object.keys(key.shapes).length > 0) into.shapes = { ...into.shapes, ...key.shapes };
    if (key.split && key.split.length > 0) into.split = [...(into.split ?? []), ...key.split];
    delete move.keys[key.id];
  }
}

const alike = (a: Key, b: Key) => JSON.stringify(a.ease) === JSON.stringify(b.ease);
/** Whether all that an arrival changes has a shape of its own, so that its ease says nothing. */
const shaped = (key: Key) => !key.orientation && Object.keys(key.values).every((c) => key.shapes?.[c] !== undefined);

/** The arrivals of a channel in a move, in order of time. */
export const arrivalsOf = (move: HandMove, channel: string): Key[] =>
  Object.values(move.keys)
    .filter((k) => channel in k.values)
    .sort((a, b) => a.at - b.at);
