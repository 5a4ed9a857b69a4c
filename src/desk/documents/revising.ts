import { problemOf } from "../../core/text/problem";
import { json } from "../api";
import { loadAssembly } from "../background/loadAssembly";
import type { Desk } from "../port";
import type { AssemblyState } from "../state";

/** A match that was put right by hand: what documents call the old part, and the key it has in the new file or none. */
export interface Correction {
  old: string;
  next: string | null;
}

interface RevisionAnswer {
  revision: {
    number: number;
    fileName: string;
    settings: AssemblyState["settings"];
    identities: AssemblyState["identities"];
  } | null;
}

/** What is being done with revisions at a desk: one after another. */
const doing = new WeakMap<Desk, Promise<unknown>>();
function inTurn<T>(desk: Desk, work: () => Promise<T>): Promise<T> {
  const mine = (doing.get(desk) ?? Promise.resolve()).then(work, work);
  doing.set(desk, mine);
  return mine;
}

/** The revision that somebody else put in place last, as far as this desk shows it. */
const theirs = new WeakMap<Desk, number>();

/**
 * Somebody else may have put another revision in place: it comes onto the desk too, once the hand rests and no dialog
 * is open. What is chosen there is about the revision that it was opened with, and is refused as such when it is sent.
 * @param number the newest that there is @param ended whether the desk is left meanwhile
 */
export async function takeRevision(desk: Desk, number: number, ended: () => boolean = () => false): Promise<void> {
  // Not in turn: what is done in a dialog that is waited for has to come through.
  while (number > desk.state.assembly.number && (desk.state.draft || desk.state.playing || desk.state.dialog)) {
    if (ended()) return;
    await new Promise((r) => setTimeout(r, RESTS_MS));
  }
  await inTurn(desk, async () => {
    if (number <= desk.state.assembly.number || ended()) return;
    try {
      await showNewest(desk);
      theirs.set(desk, desk.state.assembly.number);
      desk.notify("info", `Somebody put revision ${number} of the CAD file in place. It is shown now.`);
    } catch (error) {
      desk.notify("problem", `Revision ${number} of the CAD file cannot be loaded: ${problemOf(error)}`);
    }
  });
}
const RESTS_MS = 200;

/** Puts what the server has as the newest revision on the desk. */
async function showNewest(desk: Desk): Promise<void> {
  const { projectId } = desk.state;
  try {
    const answer = await json<RevisionAnswer>(`/api/projects/${projectId}`);
    if (!answer.revision) return;
    const { bytes, trees } = await loadAssembly(projectId, null, (arriving) => {
      if (arriving.stage === "download") desk.set({ waiting: { text: "Loading the assembly", share: arriving.share } });
    });
    const { number, fileName, settings, identities } = answer.revision;
    desk.replaceAssembly({ number, fileName, settings, identities }, bytes, trees);
  } finally {
    desk.set({ waiting: null });
  }
}

function put(desk: Desk, body: object): Promise<number> {
  return inTurn(desk, async () => {
    const { number } = await json<{ number: number }>(`/api/projects/${desk.state.projectId}/revisions`, {
      body: { ...body, base: desk.state.assembly.number },
    });
    await showNewest(desk);
    return number;
  });
}

/** Applies a file that was read as a revision, as one act that undo takes back. @throws ApiError */
export async function applyRevision(
  desk: Desk,
  job: string,
  corrections: readonly Correction[],
  label: string,
): Promise<void> {
  const before = desk.state.assembly.number;
  const number = await put(desk, { job, corrections });
  desk.recordOutside(label, { to: before }, { to: number });
}

/** Puts an earlier revision in place again, as an act that undo takes back. @throws ApiError */
export async function goBackTo(desk: Desk, to: number): Promise<void> {
  const before = desk.state.assembly.number;
  const number = await put(desk, { to });
  desk.recordOutside(`Back to revision ${to}`, { to: before }, { to: number });
}

/** Lets undo and redo of revisions work on a desk. */
export function connectRevisions(desk: Desk): void {
  desk.onOutside = async (step) => {
    const { to } = step as { to: number };
    // It would take back what somebody else did, and they would not know.
    if (theirs.get(desk) === desk.state.assembly.number) {
      desk.notify(
        "problem",
        `Somebody else put revision ${desk.state.assembly.number} of the CAD file in place since. It stays; choose another one under "Assembly" if you mean to.`,
      );
      return;
    }
    try {
      await put(desk, { to });
    } catch (error) {
      desk.notify("problem", `The revision could not be changed back: ${problemOf(error)}`);
    }
  };
}
