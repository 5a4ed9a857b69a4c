import { nth } from "../math/packed";
import type { Triple } from "../math/triple";

/** Whose axes a direction is told in: the assembly's, where up and front have a meaning, or a part's own. */
export type DirectionFrame = "assembly" | "part";

/** Where the assembly's axes point, with Z and with Y up: x, y and z, each in its positive and negative sense. */
const WAYS = {
  z: [
    ["right", "left"],
    ["back", "front"],
    ["up", "down"],
  ],
  y: [
    ["right", "left"],
    ["up", "down"],
    ["front", "back"],
  ],
} as const;
const NAMES = ["X", "Y", "Z"] as const;
const ALONG = 1 - 1e-9;

/** A direction that is an axis in words ("up, Z"; "against its Y"), any other as three numbers of at most four places. */
export function directionInWords(d: readonly number[], frame: DirectionFrame, up: "y" | "z"): string {
  const axis = [0, 1, 2].find((k) => Math.abs(nth(d, k)) > ALONG);
  if (axis === undefined) return d.map((v) => String(Math.round(v * 1e4) / 1e4 || 0)).join(" ");
  const back = nth(d, axis) < 0;
  const name = NAMES[axis] as string;
  if (frame === "part") return `${back ? "against" : "along"} its ${name}`;
  return `${WAYS[up][axis as 0 | 1 | 2][back ? 1 : 0]}, ${back ? "−" : ""}${name}`;
}

/** Reads such a word: "up", "to the left", "−y", "along its x"; null for anything else. */
export function directionOfWord(text: string, up: "y" | "z"): Triple | null {
  const clean = text
    .trim()
    .toLowerCase()
    .replace("−", "-")
    .replace(/^to the |^along (its )?/, "")
    .replace(/^against (its )?/, "-");
  const [word = ""] = clean.split(/\s*,\s*/);
  const unit = (axis: number, sign: number) => [0, 1, 2].map((k) => (k === axis ? sign : 0)) as Triple;
  const letter = /^([+-]?)([xyz])$/.exec(word);
  if (letter) return unit("xyz".indexOf(letter[2] as string), letter[1] === "-" ? -1 : 1);
  for (const [axis, ways] of WAYS[up].entries())
    for (const [i, way] of ways.entries()) if (way === word) return unit(axis, i === 0 ? 1 : -1);
  return null;
}
