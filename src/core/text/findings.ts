import type { Target } from "../document/sequence";
import type { Finding, Quantity } from "../proof/check";
import { formatNumber } from "../units/units";

const UNIT_WORDS: Partial<Record<Quantity["unit"], string>> = {
  "1/s": "a second",
  "widths/s": "picture widths a second",
};
const DECIMALS: Partial<Record<Quantity["unit"], number>> = { "%": 0, px: 0, "°/s": 1, s: 2, mm: 2, "widths/s": 2 };

/** A quantity as it is read: 3.4 s, 20°, -5 mm. */
const said = (q: Quantity | undefined): string => {
  if (!q) return "?";
  const unit = q.unit.startsWith("°") || q.unit === "" ? q.unit : ` ${UNIT_WORDS[q.unit] ?? q.unit}`;
  return `${formatNumber(q.value, DECIMALS[q.unit] ?? 3)}${unit}`;
};

const part = (n: Finding["numbers"]): string => formatNumber(360 / (n.order?.value ?? 1), 2);
const avoid = (n: Finding["numbers"]): string =>
  `Below ${said(n.below)}${n.rate ? `, or at ${formatNumber(n.rate.value, 3)} frames a second,` : ""} it turns as it should.`;

/** What each check says, by which of its sentences it is. `name` is what is concerned, with its channel. */
const SENTENCES: Readonly<Record<string, (n: Finding["numbers"], name: string) => string>> = {
  "seam jumps": (n, name) =>
    `${name} jumps at every round: it ends at ${said(n.ends)} and begins at ${said(n.begins)}.`,
  "seam jerks": (n, name) =>
    `${name} jerks at every round: it arrives with ${said(n.arrives)} and sets off with ${said(n.leaves)}.`,
  "seam stops": (_, name) => `${name} stops after its last arrival while the rest of it goes on.`,
  "spins-back back": (n, name) =>
    `${name} spins back from ${said(n.from)} to ${said(n.to)}; going on, the same direction is ${said(
      n.to && n.whole ? { value: n.to.value + n.whole.value, unit: "°" } : undefined,
    )}.`,
  "spins-back undone": (n, name) =>
    `${name} turns back from ${said(n.from)} to ${said(n.to)}: whole turns are undone, and it ends as it began.`,
  "seam doubled": (n, name) =>
    `${name} stands for ${n.frames?.value === 1 ? "a frame" : said(n.frames)} at every round, in the middle of its motion.`,
  "seam apart": (n, name) =>
    `${name} go round in ${said(n.first)} and ${said(n.second)}; ${
      n.meet ? `they meet again only after ${said(n.meet)}` : "they never meet again"
    }.`,
  "wrong-way backs": (n, name) =>
    `${name} first goes ${said(n.off)} the wrong way on its way from ${said(n.from)} to ${said(n.to)}.`,
  "wrong-way passes": (n, name) =>
    `${name} goes ${said(n.off)} too far and comes back on its way from ${said(n.from)} to ${said(n.to)}.`,
  "wrong-way wanders": (n, name) =>
    `${name} leaves ${said(n.at)} by ${said(n.off)} and comes back, between two equal arrivals.`,
  "unequal swings": (n, name) =>
    `${name} takes ${said(n.takes)} for a swing of ${said(n.by)}; the others take ${said(n.usual)}.`,
  "unequal pattern": (n, name) =>
    `${name} sets off ${said(n.takes)} after the one before it; the others follow every ${said(n.usual)}.`,
  "creep creeps": (n, name) =>
    `${name} creeps from ${said(n.from)} to ${said(n.to)} in ${said(n.takes)}; it looks as if it should stand.`,
  "creep runs-on": (n, name) =>
    `${name} runs on with ${said(n.speed)} through the still of ${said(n.still)} after the step.`,
  "camera stops": (n, name) => `${name} stops dead from ${said(n.before)}.`,
  "camera starts": (n, name) => `${name} sets off at ${said(n.after)} in one frame.`,
  "camera turns": (n, name) => `${name} changes its motion by ${said(n.jump)} in one frame.`,
  "camera whips": (n, name) => `${name} whips round with ${said(n.speed)}; up to ${said(n.allowed)} can be followed.`,
  "camera judders": (n, name) =>
    `${name} pans with ${said(n.speed)}: at ${formatNumber(n.rate?.value ?? 0, 3)} frames a second that judders; up to ${said(n.allowed)} does not.`,
  "camera across": (n) => `The cut jumps round to the other side, by ${said(n.round)}: left and right change places.`,
  "contact through": (n, name) => {
    const others = n.others?.value ?? 0;
    return `${name} pass through each other, by ${said(n.depth)} where it is deepest${
      others > 0
        ? `, and so ${others === 1 ? "does another pair" : `do ${others} more pairs`} of what is moved with them`
        : ""
    }.`;
  },
  "left-out off": (n, name) =>
    `${name} was taken off and is not put back: at the end it is ${said(n.away)} away, while others came back.`,
  "left-out again": (_, name) => `${name} had left, and is there again without having been brought back.`,
  "left-out depends": (_, name) => `${name} is put back, but the step or move that took it off is switched off.`,
  "left-out appears": (_, name) => `${name} appears from one frame to the next, without a cut.`,
  "left-out vanishes": (_, name) => `${name} vanishes from one frame to the next, without a cut.`,
  "seen out": (n, name) => `${name} leaves the picture while it acts, for ${said(n.part)} of its time.`,
  "seen small": (n, name) => `${name} acts, and takes no more than ${said(n.size)} of the picture.`,
  "seen covered": (n, name) =>
    `${name}: what acts can hardly be seen (${said(n.seen)} at best), others stand before it.`,
  "seen cut": (_, name) => `${name} comes so near to the camera that it is cut open.`,
  "seen inside": (_, name) => `The camera stands inside ${name}.`,
  "strobe stands": (n, name) =>
    `${name} seems to stand: it looks the same every ${part(n)}°, and turns nearly that in a frame (${said(n.speed)}). ${avoid(n)}`,
  "strobe backward": (n, name) =>
    `${name} seems to turn backward with ${said(n.seems && { ...n.seems, value: Math.abs(n.seems.value) })}: it looks the same every ${part(n)}° and turns ${said(n.speed)}. ${avoid(n)}`,
  "flashes flashes": (n) => `${said(n.flashes)} flashes within a second, over ${said(n.share)} of the picture.`,
  "reading short": (n) =>
    `The caption of ${said(n.words)} words is there for ${said(n.shown)}; reading it takes ${said(n.needed)}.`,
  "reading lines": (n) => `The caption takes ${said(n.lines)} lines; at most ${said(n.most)} are read in passing.`,
  "reading wide": (n) => `A word of the caption is ${said(n.width)} wide, and runs out of its ${said(n.room)}.`,
  "reading small": (n) =>
    `The caption's letters are ${said(n.size)} high in the published picture, less than ${said(n.least)}.`,
  "reading faint": (n) => `The caption's contrast is ${said(n.contrast)}, less than ${said(n.least)}.`,
  "reading label-short": (n, name) =>
    `The label on ${name} is there for ${said(n.shown)}; reading it takes ${said(n.needed)}.`,
  "reading label-wide": (n, name) => `The label on ${name} is ${said(n.width)} wide and does not fit the picture.`,
  "reading label-small": (n, name) =>
    `The label on ${name} has letters of ${said(n.size)}, less than ${said(n.least)}.`,
  "reading label-faint": (n, name) =>
    `The label on ${name} has a contrast of ${said(n.contrast)}, less than ${said(n.least)}.`,
  "caption-over label-over": (n, name) =>
    `A label stands over ${name} for ${said(n.part)} of the time in which it acts.`,
  "caption-over over": (n, name) => `The caption stands over ${name} for ${said(n.part)} of the time in which it acts.`,
  "idle nothing": (n) => `Nothing happens for ${said(n.lasts)}.`,
  "idle soon": (n) =>
    `Something moves ${said(n.after)} after the cut; it takes ${said(n.allowed)} to see where one is.`,
  "narration over": (n, name) => `"${name}" goes on for ${said(n.over)} after its step has ended.`,
  "narration cut": (n, name) => `"${name}" is cut off by the end of the film: ${said(n.lost)} of it are not heard.`,
  "narration together": (n, name) => `${name} are heard at once for ${said(n.lasts)}.`,
  "fault gone": (_, name) => `${name} is moved, and is not in this assembly.`,
  "fault joint-gone": (_, name) => `A joint that moves ${name} is gone.`,
  "fault limit": (_, name) => `${name} goes beyond the joint's limits.`,
  "fault fights": (_, name) => `Two moves fight over ${name}: the later takes over before the first has ended.`,
  "fault linked": (_, name) => `${name} follows another joint and cannot be moved by itself.`,
  "fault nothing-back": (_, name) =>
    `${name} is put back, but the move that this reverses is gone, off, or comes later.`,
  "fault hidden": (_, name) => `${name} is moved and hidden: nobody sees it.`,
  "fault locked": (_, name) => `${name} is locked, and is moved all the same.`,
  "fault link": (_, name) => `The link that drives ${name} cannot be worked out.`,
  "fault reach": (n, name) =>
    `${name} is driven to ${said(n.value)}; its linkage reaches from ${said(n.from)} to ${said(n.to)}.`,
};

/** Every sentence there is, by check and what; for the test that none is missing. */
export const FINDING_SENTENCES = Object.keys(SENTENCES);

/** Why a check could not judge something, in one sentence. */
const CANNOT: Readonly<Record<string, (name: string) => string>> = {
  "no-mesh": (name) => `${name} has no shape: whether it can be seen was not judged.`,
  "no-meshes": () => "There are no shapes to judge by.",
  "open-mesh": (name) => `${name} is an open surface: what passes through it was not judged.`,
};

/** Something that was not judged, in one sentence. @param names of what it is about */
export function unjudgedText(what: string, names: readonly string[]): string {
  const few = names.slice(0, 3).join(", ");
  return CANNOT[what]?.(names.length > 3 ? `${few} and ${names.length - 3} more` : few) ?? "Was not judged.";
}

/** A finding in one sentence. @param nameOf the name of what can be moved @param channelName of a channel */
export function findingText(
  finding: Finding,
  nameOf: (target: Target) => string,
  channelName: (channel: string) => string = (c) => c,
): string {
  const list = finding.named === undefined ? finding.targets.map(nameOf) : [finding.named];
  const names = finding.check === "contact" || finding.what === "apart" ? list.join(" and ") : (list[0] ?? "");
  const name = finding.channel === undefined ? names : `${names} (${channelName(finding.channel)})`;
  return SENTENCES[`${finding.check} ${finding.what}`]?.(finding.numbers, name) ?? finding.check;
}
