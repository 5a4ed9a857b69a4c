import type { DocumentBody } from "../../core/document/parse";
import { newSequence as emptySequence, type Sequence } from "../../core/document/sequence";
import { freshId } from "../../core/edit/id";
import { compile } from "../../core/program/compile";
import { problemOf } from "../../core/text/problem";
import { json } from "../api";
import type { Desk } from "../port";
import { lastArriving } from "../remembered/arrivingStore";
import { loadPending } from "../remembered/pendingStore";
import { lastRange, rememberSequence } from "../remembered/timingStore";
import { nothing } from "../selection/selection";

/** Pending poses belong to the open sequence: it is not left while one waits. */
function poseWaits(desk: Desk): boolean {
  const waits = Object.keys(desk.state.pending).length > 0;
  if (waits) desk.notify("problem", "A pose is pending. Keep or drop it before you open another sequence.");
  return waits;
}

/** Opens another sequence of the project, unless a pose is pending in this one. */
export function openSequence(desk: Desk, id: string): void {
  const loaded = desk.state.sequences.find((s) => s.id === id);
  if (!loaded || poseWaits(desk)) return;
  desk.pause();
  desk.program = compile(desk.index, desk.state.preparation.body, loaded.body);
  desk.choose(nothing(loaded.body.stepOrder[0] ?? "", desk.state.selected.parts), {
    draft: null,
    earlier: [],
    past: null,
    range: lastRange(id),
    compare: null,
    pending: loadPending(id, desk.index, desk.state.preparation.body.groups),
    arriving: lastArriving(id),
    sequenceId: id,
    ticks: 0,
    programVersion: desk.state.programVersion + 1,
  });
  rememberSequence(desk.state.projectId, id);
  desk.trackShown();
  desk.view?.setProgram(desk.program);
  desk.show();
}

/** Makes another sequence of the project, seen from where this one begins, and opens it. */
export async function newSequence(desk: Desk, name: string): Promise<void> {
  if (poseWaits(desk)) return;
  const now = desk.sequence;
  const body = emptySequence(
    name.slice(0, 200),
    (now.cameras[now.camera] as Sequence["cameras"][string]).home,
    freshId(),
  );
  body.rate = now.rate;
  body.picture = now.picture;
  try {
    const { id } = await json<{ id: string }>(`/api/projects/${desk.state.projectId}/documents`, {
      body: { kind: "sequence", body },
    });
    desk.addSequence(id, body);
    openSequence(desk, id);
  } catch (error) {
    desk.notify("problem", `The sequence could not be made: ${problemOf(error)}`);
  }
}

/**
 * Two changed the same at the same moment: shows theirs and keeps mine as a sequence beside it.
 * @returns false when mine could not be stored so; then its edits are the caller's to keep
 */
export async function keepBoth(desk: Desk, id: string, server: DocumentBody, mine: DocumentBody): Promise<boolean> {
  desk.replaceDocument(id, server);
  if (!("stepOrder" in mine)) return false;
  const copy = { ...mine, name: `${mine.name} (kept copy)`.slice(0, 200) };
  try {
    const { id: copyId } = await json<{ id: string }>(`/api/projects/${desk.state.projectId}/documents`, {
      body: { kind: "sequence", body: copy },
    });
    desk.addSequence(copyId, copy);
    desk.notify(
      "info",
      `Someone else changed the same step at the same moment. Both are kept: theirs here, yours as "${copy.name}".`,
    );
    return true;
  } catch {
    return false;
  }
}
