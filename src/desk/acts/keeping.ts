import { nearestTurn } from "../../core/camera/camera";
import { CAMERA_CHANNELS, hand, type Target } from "../../core/document/sequence";
import { type Arrival, type KeptValues, keepArrivals, setCameraHome } from "../../core/edit/sequenceCommands";
import { together } from "../../core/edit/together";
import { formatSecondsShort } from "../../core/time/time";
import { targetName } from "../names";
import type { Desk } from "../port";
import type { PendingPose } from "../remembered/pendingStore";
import { liveCamera, setThrough } from "./looking";
import { setPending } from "./pending";
import { refusal } from "./posing";

/** Keeps all pending poses as arrivals at the times they were made at. @returns false when one has no room. */
export function keepPending(desk: Desk): boolean {
  const list = Object.values(desk.state.pending);
  if (list.length === 0) return false;
  const byTime = new Map<number, PendingPose[]>();
  for (const p of list) byTime.set(p.at, [...(byTime.get(p.at) ?? []), p]);
  const plans: { step: string; at: number; kept: KeptValues[] }[] = [];
  for (const [time, poses] of byTime) {
    const room = roomAt(desk, time);
    if ("error" in room) {
      desk.notify("problem", room.error);
      return false;
    }
    plans.push({ step: room.step, at: room.at, kept: poses.map((p) => keptOf(desk, p)) });
  }
  const names = list.map((p) => targetName(desk, p.target)).join(", ");
  const said = desk.state.notice;
  const done = desk.edit(
    `Keep pose of ${names}`.slice(0, 200),
    together(plans.map((plan) => keepArrivals(plan.step, arrivalAt(desk, plan.at), plan.kept))),
  );
  // Nothing changed and nothing was refused: what is posed is what arrives there already.
  if (!done && desk.state.notice === said) {
    setPending(desk, {});
    desk.notify("info", "It arrives there with these values already; its lead and ease stay as they are.");
  }
  if (done) {
    setPending(desk, {});
    const plan = plans[0];
    if (plan) reportShortened(desk, plan.step, plan.at);
  }
  return done;
}

function keptOf(desk: Desk, p: PendingPose): KeptValues {
  return {
    target: p.target,
    values: p.values,
    name: targetName(desk, p.target),
    ...(p.orientation ? { orientation: p.orientation } : {}),
  };
}

/** Where an arrival at a sequence time would go, or why it cannot. */
function roomAt(desk: Desk, time: number): { step: string; at: number } | { error: string } {
  const step = desk.stepAtPlayhead(time);
  if (!step) return { error: "Every step is switched off. Switch one on to keep a pose in it." };
  const at = Math.round(time - step.action);
  if (at < 0) {
    return {
      error: `The playhead is in the still before "${desk.sequence.steps[step.id]?.title}", where nothing may move. Go past ${formatSecondsShort(step.action)} s or shorten the still.`,
    };
  }
  return { step: step.id, at };
}

/** An arrival at a time of its action, with the lead and ease that are set; at the very start there is none to lead. */
function arrivalAt(desk: Desk, at: number): Arrival {
  const { lead, ease } = desk.state.arriving;
  return { at, lead: at === 0 ? 0 : lead, ease };
}

/** Says so when an arrival just kept had to have its lead shortened. */
function reportShortened(desk: Desk, step: string, at: number): void {
  for (const reports of desk.program.reports.values()) {
    for (const r of reports) {
      const key = hand(desk.sequence.steps[r.step]?.moves[r.move])?.keys[r.key];
      if (r.code === "lead-shortened" && r.step === step && key?.at === at) {
        desk.notify(
          "info",
          `The lead of ${formatSecondsShort(r.askedTicks)} s did not fit and was shortened to ${formatSecondsShort(r.usedTicks)} s.`,
        );
        return;
      }
    }
  }
}

/** Keeps what the stage shows as a camera arrival at the playhead. */
export function keepView(desk: Desk): boolean {
  if (!desk.view) return false;
  const room = roomAt(desk, desk.state.ticks);
  const view = desk.view.cameras.keptView();
  const id = liveCamera(desk);
  if ("error" in room) {
    const step = desk.stepAtPlayhead();
    // At the very start a kept view is where the camera stands to begin with.
    if (step && step.position === 0 && desk.state.ticks <= step.action) {
      const done = desk.edit("Set the camera's first view", setCameraHome(id, { ...view }));
      if (done) {
        setThrough(desk, true);
        desk.notify("info", "This is now the view the sequence begins with.");
      }
      return done;
    }
    desk.notify("problem", room.error);
    return false;
  }
  const now = desk.view.cameras.programValues();
  view.azimuth = nearestTurn(view.azimuth, now.azimuth);
  const values: Record<string, number> = {};
  for (const name of CAMERA_CHANNELS) if (Math.abs(view[name] - now[name]) > 1e-9) values[name] = view[name];
  if (Object.keys(values).length === 0) {
    desk.notify("info", "The camera already has this view.");
    setThrough(desk, true);
    return false;
  }
  // All channels arrive together, so that a view is a view whatever came before.
  for (const name of CAMERA_CHANNELS) values[name] = view[name];
  const done = desk.edit(
    "Keep this view",
    keepArrivals(room.step, arrivalAt(desk, room.at), [
      { target: { type: "camera", id }, values, name: desk.sequence.cameras[id]?.name ?? "Camera" },
    ]),
  );
  if (done) {
    setThrough(desk, true);
    reportShortened(desk, room.step, room.at);
  }
  return done;
}

/**
 * Holds targets where they are at the playhead: an arrival there at what they show, for every channel that ever moves,
 * or for those chosen, whether they move yet or not. What was under way comes to rest here; what follows starts from
 * here.
 */
export function holdHere(desk: Desk, targets: readonly Target[], chosen?: readonly string[]): boolean {
  const room = roomAt(desk, desk.state.ticks);
  if ("error" in room) {
    desk.notify("problem", room.error);
    return false;
  }
  const position = desk.program.steps.position.get(room.step);
  const plans: { lead: number; kept: KeptValues }[] = [];
  for (const target of targets) {
    const rows = desk.program
      .transitions(target)
      .filter((t) => t.channel !== "orientation" && t.channel !== "linked")
      .filter((t) => !chosen || chosen.includes(t.channel));
    const channels = chosen ?? rows.map((t) => t.channel);
    const refused = chosen ? refusal(desk, target, chosen) : null;
    if (refused !== null) {
      desk.notify("problem", refused);
      return false;
    }
    const values = Object.fromEntries(channels.map((c) => [c, desk.valueOf(target, c)]));
    const running = rows.filter((t) => t.step === position && t.t0 < room.at && t.t1 > room.at);
    const lead = running.length === 0 ? 0 : Math.round(room.at - Math.max(...running.map((t) => t.t0)));
    if (Object.keys(values).length > 0) plans.push({ lead, kept: { target, values, name: targetName(desk, target) } });
  }
  if (plans.length === 0) {
    desk.notify("info", "It never moves, so it holds everywhere.");
    return false;
  }
  const names = targets.map((t) => targetName(desk, t)).join(", ");
  const holds = plans.map(({ lead, kept }) =>
    keepArrivals(room.step, { at: room.at, lead, ease: { kind: "soft", start: 0, stop: 0.4 } }, [kept]),
  );
  return desk.edit(`Hold ${names} here`.slice(0, 200), together(holds));
}
