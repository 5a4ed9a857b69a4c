import type { Meant } from "../../core/document/sequence";
import { freshId } from "../../core/edit/id";
import { meanSo, notMeant, setThreshold } from "../../core/edit/proofCommands";
import type { SequenceCommand } from "../../core/edit/sequenceCommands";
import { nth } from "../../core/math/packed";
import type { Finding, Mend, ProofContext } from "../../core/proof/check";
import { checkOf } from "../../core/proof/checks";
import { factsOf, meantOf } from "../../core/proof/meant";
import { findingId, shifted, thresholdsOf } from "../../core/proof/proof";
import { channelNameIn } from "../../core/text/channelWords";
import { findingText } from "../../core/text/findings";
import { isStop, problemOf } from "../../core/text/problem";
import { Refusal } from "../../core/text/refusal";
import { userName } from "../api";
import { nodesOf, targetName } from "../names";
import type { Desk } from "../port";
import { chooseParts } from "../selection/selecting";
import { parts } from "../selection/selection";
import type { Proofing } from "../state";
import { planAgain } from "./planAgain";

/** A finding as the list has it. */
export interface Listed {
  id: string;
  finding: Finding;
  meant: Meant | null;
}

/** The list of a proof and a sequence as they were last asked about: many parts of the desk show it. */
let last: { proof: object | null; meant: object | undefined; steps: object; list: Listed[] } | null = null;

/** All that was found, in order, with what is meant so. The same list until either changes. */
export function listed(desk: Desk): readonly Listed[] {
  const { proof } = desk.state;
  const { meant: said } = desk.body();
  const { steps } = desk.program;
  if (last?.proof === proof && last.meant === said && last.steps === steps.start) return last.list;
  const found = (proof?.findings ?? []).flatMap((f) => {
    const at = steps.position.get(f.step);
    return at === undefined ? [] : [shifted(f, nth(steps.start, at) - (proof?.starts[f.step] ?? 0))];
  });
  const meant = meantOf(desk.body(), found);
  const list = found.map((finding) => ({ id: findingId(finding), finding, meant: meant.get(finding) ?? null }));
  last = { proof, meant: said, steps: steps.start, list };
  return list;
}

/** How many findings are open: not meant so. */
export function openFindings(desk: Desk): { wrong: number; look: number } {
  const open = listed(desk).filter((l) => !l.meant);
  const wrong = open.filter((l) => l.finding.severity === "wrong").length;
  return { wrong, look: open.length - wrong };
}

/** The same for one step. */
export function stepFindings(desk: Desk, step: string): { wrong: number; look: number } {
  const open = listed(desk).filter((l) => !l.meant && l.finding.step === step);
  const wrong = open.filter((l) => l.finding.severity === "wrong").length;
  return { wrong, look: open.length - wrong };
}

/** What the list shows, as it is filtered. */
export function shownFindings(desk: Desk): Listed[] {
  const { check, show } = desk.state.proofing;
  return listed(desk).filter(
    ({ finding, meant }) =>
      (check === null || finding.check === check) &&
      (show === "meant" ? meant !== null : meant === null && (show === "open" || finding.severity === show)),
  );
}

export function setProofing(desk: Desk, change: Partial<Proofing>): void {
  desk.set({ proofing: { ...desk.state.proofing, ...change } });
}

/** Opens the list of findings, or shuts it. */
export function toggleProof(desk: Desk): void {
  const open = !desk.state.proofing.open;
  if (open) openProof(desk);
  else {
    preview(desk, null);
    setProofing(desk, { open, chosen: null });
    markPlace(desk, null);
  }
}

/** Opens the list of findings, with the keyboard in it. */
export function openProof(desk: Desk): void {
  desk.set({ reviewing: { ...desk.state.reviewing, open: false } });
  setProofing(desk, { open: true, asked: desk.state.proofing.asked + 1 });
}

/** The sentence of a finding, with names as they are prepared. */
export const sentence = (desk: Desk, finding: Finding): string =>
  findingText(
    finding,
    (t) => targetName(desk, t),
    (c) => channelNameIn(desk.state.preparation.body, c),
  );

/** Goes where a finding is: the moment, what is concerned selected, its place shown on the stage. */
export function choose(desk: Desk, id: string | null): void {
  const it = id === null ? undefined : listed(desk).find((l) => l.id === id);
  setProofing(desk, { chosen: it?.id ?? null });
  preview(desk, null);
  if (!it) {
    markPlace(desk, null);
    return;
  }
  const { finding } = it;
  desk.pause();
  desk.seek(finding.at ?? Math.min(finding.from, Math.max(0, desk.program.steps.length - 1)));
  const nodes = finding.targets.flatMap((t) => nodesOf(desk, t));
  chooseParts(desk, parts({ nodes, group: null }, finding.step));
  markPlace(desk, finding);
}

/** Goes to the next finding of the list, or the one before. */
export function chooseBeside(desk: Desk, by: 1 | -1): void {
  const list = shownFindings(desk);
  const at = list.findIndex((l) => l.id === desk.state.proofing.chosen);
  const next = list[at < 0 ? (by > 0 ? 0 : list.length - 1) : Math.max(0, Math.min(list.length - 1, at + by))];
  if (next) choose(desk, next.id);
}

/** Shows two parts that pass through each other tinted, all else see-through, and where they are deepest. */
function markPlace(desk: Desk, finding: Finding | null): void {
  const spot = finding?.place && finding.targets.length > 1 ? finding : null;
  desk.showSpot(
    spot?.place ? { place: spot.place, keys: spot.targets.flatMap((t) => (t.type === "node" ? [t.key] : [])) } : null,
  );
}

function mendOf(desk: Desk, finding: Finding, mend: string): { it: Mend; context: ProofContext } {
  const check = checkOf(finding.check);
  const it = check?.mends[mend];
  if (!check || !it) throw new Error(`There is no mend "${mend}".`);
  return {
    it,
    context: { program: desk.program, thresholds: thresholdsOf(check, desk.state.preparation.body.proof) },
  };
}

/** Shows the film as a mend would make it; null ends that. */
export function preview(desk: Desk, of: { finding: Finding; mend: string } | null): void {
  try {
    desk.preview(null);
    if (!of) return;
    const { it, context } = mendOf(desk, of.finding, of.mend);
    // What has to be planned first cannot be seen before.
    if (it.command) desk.preview(it.command(context, of.finding));
  } catch {
    // What keeps it from being mended is said when it is taken.
  }
}

/** What plans a way again can be stopped. */
let planning: AbortController | null = null;

/** Puts a finding right by one of its mends, and goes to the next that is open. One that plans may be stopped. */
export async function mend(desk: Desk, finding: Finding, name: string): Promise<void> {
  desk.preview(null);
  const id = findingId(finding);
  try {
    const { it, context } = mendOf(desk, finding, name);
    if (it.command) {
      put(desk, id, it.title, it.command(context, finding));
      return;
    }
    stopPlanning(desk);
    const ref = it.plans?.(context, finding);
    if (!ref) throw new Refusal("gone", { what: "move" });
    const own = new AbortController();
    planning = own;
    setProofing(desk, { planning: id });
    const command = await planAgain(desk, ref, own.signal);
    if (!own.signal.aborted) put(desk, id, it.title, command);
  } catch (error) {
    if (!isStop(error)) desk.notify("problem", problemOf(error));
  } finally {
    if (desk.state.proofing.planning === id) setProofing(desk, { planning: null });
  }
}

/** Gives up planning a way again. @returns whether there was anything to stop */
export function stopPlanning(desk: Desk): boolean {
  if (desk.state.proofing.planning === null) return false;
  planning?.abort();
  planning = null;
  setProofing(desk, { planning: null });
  return true;
}

function put(desk: Desk, id: string, title: string, command: SequenceCommand): void {
  const next = following(desk, id);
  if (!desk.edit(title, command)) return;
  // It is gone from the list at once; the proof looks whether that is so.
  const proof = desk.state.proof;
  if (proof) desk.set({ proof: { ...proof, film: "", findings: proof.findings.filter((f) => findingId(f) !== id) } });
  choose(desk, next);
}

/** Accepts a finding as it is. @returns whether it was taken */
export function accept(desk: Desk, finding: Finding, reason: string): boolean {
  const id = findingId(finding);
  try {
    const next = following(desk, id);
    const taken = desk.edit(
      "Meant so",
      meanSo({
        ...{ id: freshId(), check: finding.check, step: finding.step, about: finding.about },
        ...{ facts: factsOf(finding), reason, by: userName(), at: new Date().toISOString() },
      }),
    );
    if (taken) choose(desk, next);
    return taken;
  } catch (error) {
    desk.notify("problem", problemOf(error));
    return false;
  }
}

/** Takes back that a finding was meant so. */
export function takeBack(desk: Desk, meant: Meant): void {
  desk.edit("Not meant so", notMeant(meant.id));
}

/** Sets a threshold of a check for the project; null goes back to the usual one. */
export function setCheck(desk: Desk, check: string, name: string, value: number | null): void {
  desk.prepare(`Threshold of "${checkOf(check)?.title ?? check}"`, setThreshold(check, name, value));
}

function following(desk: Desk, id: string): string | null {
  const list = shownFindings(desk);
  const at = list.findIndex((l) => l.id === id);
  return (list[at + 1] ?? list[at - 1])?.id ?? null;
}
