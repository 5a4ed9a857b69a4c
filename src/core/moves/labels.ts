import { z } from "zod";
import { Refusal } from "../text/refusal";
import { fades } from "./attention";
import { moveKind, type Piece, SETTINGS } from "./kind";
import { ownJoints } from "./turn";

/** Where a note stands in the picture: from its anchor, in shares of the picture's height. */
const PLACE = { right: z.number().min(-3).max(3), up: z.number().min(-3).max(3) };
const PLACE_FIELDS = [
  {
    name: "right",
    label: "To the right",
    type: "number" as const,
    hint: "From the part, in shares of the picture's height",
  },
  { name: "up", label: "Up", type: "number" as const },
];

/** A text with a leader to a part. */
export const label = moveKind({
  kind: "label",
  title: "Label",
  about: "A text beside a part, with a leader to it.",
  words: ["text", "callout", "note", "name", "caption", "annotation"],
  acts: "parts",
  seconds: 2.5,
  shape: { text: z.string().min(1, "A label needs a text.").max(200), ...PLACE, stays: z.boolean() },
  defaults: (c) => {
    const node = c.targets[0] ? c.nodesOf(c.targets[0])[0] : undefined;
    const key = c.index.assembly.nodes[node ?? -1];
    const name =
      c.targets[0]?.type === "group"
        ? c.preparation.groups[c.targets[0].id]?.name
        : key
          ? (c.preparation.nodes[key.key]?.name ?? key.name)
          : undefined;
    return { text: (name ?? "Label").slice(0, 200), right: 0.22, up: 0.14, stays: false };
  },
  fields: [
    { name: "text", label: "Text", type: "text" },
    ...PLACE_FIELDS,
    { name: "stays", label: "Stays", type: "switch", hint: "Until the sequence ends" },
  ],
  overlay: (move) => fades(move.start, move.length, move.settings.stays),
  pieces: (): Piece[] => [],
  describe: (m) => `"${m.settings.text}"`,
});

/** An angle or length that counts while a joint moves. */
export const dimension = moveKind({
  kind: "dimension",
  accompanies: true,
  title: "Live dimension",
  about: "Shows a joint's angle or travel, counting while it moves.",
  words: ["angle", "measure", "counter", "degrees", "reading", "distance"],
  acts: "one part",
  seconds: 3,
  shape: { joints: z.array(SETTINGS.id).min(1).max(1), decimals: z.int().min(0).max(3), ...PLACE, stays: z.boolean() },
  defaults: (c) => {
    const joints = ownJoints(c);
    if (joints.length === 0) throw new Refusal("no-joint-reading");
    return { joints, decimals: 0, right: 0.22, up: 0.14, stays: false };
  },
  fields: [
    { name: "joints", label: "Joint", type: "joint" },
    { name: "decimals", label: "Decimals", type: "count" },
    ...PLACE_FIELDS,
    { name: "stays", label: "Stays", type: "switch", hint: "Until the sequence ends" },
  ],
  overlay: (move) => fades(move.start, move.length, move.settings.stays),
  pieces: (): Piece[] => [],
  describe: (m, p) => `reads ${p.joints[m.settings.joints[0] ?? ""]?.name ?? "a joint that is gone"}`,
});
