import type { MadeMove } from "../../core/document/sequence";
import { addMove, makeMove } from "../../core/edit/moveCommands";
import type { Desk } from "../port";
import { setThrough } from "./looking";
import { makeContext, placeNow } from "./moveActions";

/** Cuts to a camera at the playhead, as one act. */
export function cutTo(desk: Desk, camera: string): void {
  const place = placeNow(desk);
  if (!place) {
    desk.notify("problem", "Every step is switched off. Switch one on to cut in it.");
    return;
  }
  const name = desk.body().cameras[camera]?.name ?? "another camera";
  const move = makeMove("camera-cut", makeContext(desk), place.start, `Cut to ${name}`.slice(0, 200));
  const cut = { ...move, settings: { camera } } as MadeMove;
  if (desk.edit(`Cut to camera "${name}"`, addMove(place.step.id, cut))) setThrough(desk, true);
}
