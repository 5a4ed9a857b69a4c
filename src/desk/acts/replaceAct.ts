import { copyKey } from "../../core/assembly/prepared";
import { freshId } from "../../core/edit/id";
import { addInFolder } from "../../core/edit/moveCommands";
import { addCopy } from "../../core/edit/preparationCommands";
import type { Triple } from "../../core/math/triple";
import { besideWay, replaceMoves } from "../../core/moves/replace";
import { isStop, problemOf } from "../../core/text/problem";
import { findWays } from "../background/planner";
import { nodesOf, targetName } from "../names";
import type { Desk } from "../port";
import { chooseParts, targetOf } from "../selection/selecting";
import { nothing } from "../selection/selection";
import { makeContext, placeNow } from "./moveActions";

/** Way that is taken where none was found: up, by the part's own height and a half. */
const UP = { z: [0, 0, 1], y: [0, 1, 0] } as const;

/**
 * Replaces the selected part by a fresh one, as one act: a copy of it is made, and moves in which the old one comes
 * out and the fresh one goes in, told apart by labels. The way out is found by the sweep test.
 */
export async function replaceByFresh(desk: Desk): Promise<void> {
  const target = targetOf(desk);
  const place = placeNow(desk);
  if (target?.type !== "node" || !place) {
    desk.notify(
      "problem",
      target?.type === "group"
        ? "A group cannot be replaced by a copy. Select the part or sub-assembly itself."
        : "Select the one part or sub-assembly that is replaced.",
    );
    return;
  }
  const stop = new AbortController();
  desk.set({ work: { text: "Finding the way out", share: null, stop: () => stop.abort() } });
  try {
    const ways = await findWays(desk, [target], desk.state.ticks, stop.signal);
    const nodes = nodesOf(desk, target);
    const free = ways.find((w) => w.travel === null);
    const direction = (free?.direction ?? UP[desk.index.assembly.up]) as Triple;
    const name = targetName(desk, target);
    const fresh = `${name}, fresh`.slice(0, 200);
    const copy = freshId();
    const folder = freshId();
    const moves = replaceMoves({
      context: makeContext(desk),
      old: { key: target.key, name },
      fresh: { key: copyKey(target.key, copy), name: fresh },
      direction,
      distance: Math.round(free ? free.clear + 10 : 100),
      ...besideWay(desk.index, nodes, direction),
      start: place.start,
      folder,
      freshId,
    });
    const step = place.step.id;
    const done = desk.editTogether(`Replace ${name} by a fresh one`, [
      { document: desk.state.preparation.id, command: addCopy(copy, target.key, fresh) },
      { document: desk.state.sequenceId, command: addInFolder(step, folder, `Replace ${name}`, moves) },
    ]);
    if (!done) return;
    chooseParts(desk, nothing(step));
    if (!free)
      desk.notify(
        "info",
        "No way was found in which it comes free; it goes up. Change the direction of its moves if that is wrong.",
      );
  } catch (error) {
    if (!isStop(error)) desk.notify("problem", problemOf(error));
  } finally {
    desk.set({ work: null });
  }
}
