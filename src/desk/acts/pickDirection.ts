import type { Triple } from "../../core/math/triple";
import type { Desk } from "../port";
import { atHome } from "../selection/pickedFrame";
import { pick } from "../showing/picking";

/**
 * Asks for a direction by pointing at a face, edge, hole or shaft; told as a unit vector in the assembly's frame at
 * home.
 */
export function pickDirection(desk: Desk, question: string, take: (direction: Triple) => void): void {
  pick(desk, question, {
    kinds: ["axis", "face", "edge-middle", "circle"],
    needsDirection: true,
    onDone: (picked) => {
      const found = picked && atHome(desk, picked);
      if (found?.direction) take(found.direction);
    },
  });
}
