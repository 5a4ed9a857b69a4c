import { z } from "zod";
import { Refusal } from "../text/refusal";
import { moveKind, type Piece, SETTINGS } from "./kind";

/**
 * The exact reverse of another move, put back from take off among others. It has no pieces of its own: the compiler
 * mirrors what the other did, so the values come back bit for bit and follow when the other is edited.
 */
export const back = moveKind({
  kind: "back",
  title: "Put back",
  about: "The exact reverse of a move made before; it follows when that is edited.",
  words: ["reverse", "return", "refit", "assemble", "undo", "reversed copy"],
  acts: "parts",
  seconds: 0,
  shape: {
    of: z.object({ step: SETTINGS.id, move: SETTINGS.id }),
    /** Whether attention and the like come along too. */
    companions: z.boolean(),
    /** Its own length and ease; else those of the move it reverses. */
    own: z.boolean(),
  },
  defaults: () => {
    throw new Refusal("nothing-to-put-back");
  },
  fields: [
    { name: "companions", label: "Attention too", type: "switch" },
    { name: "own", label: "Own length", type: "switch", hint: "Else as long as the move it puts back" },
  ],
  pieces: (): Piece[] => [],
  describe: () => "puts it back",
});
