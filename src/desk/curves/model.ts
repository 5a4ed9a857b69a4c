import { type Target, targetId } from "../../core/document/sequence";
import { type ChannelCurve, channelCurve, channelNames } from "../../core/edit/curves/channel";
import { ChannelReader } from "../../core/edit/curves/reader";
import { channelKind } from "../../core/kinematics/channelKind";
import { actsOn } from "../../core/program/spans";
import { formatNumber, MM_PER_UNIT } from "../../core/units/units";
import { liveCamera } from "../acts/looking";
import { selectedTargets } from "../acts/moveActions";
import { channelName, selectedItems } from "../acts/timingActions";
import { targetName } from "../names";
import type { Desk } from "../port";
import { suffixOf, type ValueKind } from "../typing/valueFields";

/** One channel as the curves show it. */
export interface Shown {
  id: string;
  target: Target;
  channel: string;
  name: string;
  owner: string;
  kind: ValueKind;
  /** Unit's name, and how many of the channel's own units it is. */
  unit: string;
  per: number;
  colour: string;
  /** Whether it changes at all. */
  changes: boolean;
  curve: ChannelCurve;
  reader: ChannelReader;
}

export const channelId = (target: Target, channel: string): string => `${targetId(target)} ${channel}`;

/** What kind of number a channel is. */
export const kindOfChannel = (desk: Desk, channel: string): ValueKind =>
  channelKind(channel, desk.state.preparation.body.joints);

/** Muted tones; the three axes keep those that they have everywhere. */
const AXES: Record<string, string> = { x: "#A6534A", y: "#4F8055", z: "#3E6A9E" };
const OTHERS = ["#0B6E69", "#8A6D3B", "#7A4E7E", "#3F6B7A", "#8C5A2B", "#5C6B2F", "#6B5B95", "#9A4B6A"];

/** The things whose channels are shown: what is selected, in space or in time; else everything that moves. */
export function shownTargets(desk: Desk, all: boolean): Target[] {
  const out = new Map<string, Target>();
  const add = (t: Target) => out.set(targetId(t), t);
  const { focus } = desk.state;
  if (!all) {
    for (const t of selectedTargets(desk)) add(t);
    for (const p of desk.state.points) add(p.target);
    for (const item of selectedItems(desk)) {
      const move = desk.sequence.steps[item.step]?.moves[item.move];
      if (move) for (const t of actsOn(move, desk.sequence)) add(t);
    }
    if (focus.kind === "camera") add({ type: "camera", id: liveCamera(desk) });
  }
  const list = [...out.values()].filter((t) => (desk.program.placed.get(targetId(t)) ?? []).length > 0);
  if (list.length > 0) return list;
  // Nothing that moves is selected: what moves in this step, rather than a tangle of the whole.
  const here = all ? undefined : desk.stepAtPlayhead()?.id;
  return [...desk.program.placed].flatMap(([id, rows]): Target[] => {
    if (here !== undefined && !rows.some((r) => r.step === here && (r.from[0] !== r.to[0] || r.after))) return [];
    if (id.startsWith("n:")) return [{ type: "node", key: id.slice(2) }];
    if (id.startsWith("g:")) return [{ type: "group", id: id.slice(2) }];
    return id.startsWith("c:") ? [{ type: "camera", id: id.slice(2) }] : [];
  });
}

/** Most things whose channels are shown at once: more curves are told apart by nobody, and are slow to draw. */
export const MOST_TARGETS = 30;

/** The first things of a list whose names match what is looked for; all of them where their channels may. */
export function fewTargets(
  desk: Desk,
  targets: readonly Target[],
  search: string,
): { few: readonly Target[]; left: number } {
  if (targets.length <= MOST_TARGETS) return { few: targets, left: 0 };
  const word = search.trim().toLowerCase();
  const found = word === "" ? targets : targets.filter((t) => targetName(desk, t).toLowerCase().includes(word));
  return { few: found.slice(0, MOST_TARGETS), left: Math.max(0, found.length - MOST_TARGETS) };
}

/** The channels of targets, with curves read off the program. */
export function shownChannels(desk: Desk, targets: readonly Target[]): Shown[] {
  const out: Shown[] = [];
  const { displayUnit } = desk.state.preparation.body;
  for (const target of targets) {
    const owner = targetName(desk, target);
    for (const channel of channelNames(desk.program, target)) {
      if (channel === "visible" || channel === "tint-colour" || channel === "live") continue;
      const kind = kindOfChannel(desk, channel);
      const rows = (desk.program.placed.get(targetId(target)) ?? []).filter((r) => r.channel === channel);
      const axis = channel.split(".")[1] ?? "";
      out.push({
        ...{ id: channelId(target, channel), target, channel, name: channelName(desk, channel), owner, kind },
        curve: channelCurve(desk.program, target, channel),
        unit: suffixOf(kind, displayUnit),
        per: kind === "length" ? MM_PER_UNIT[displayUnit] : 1,
        colour: (targets.length === 1 && AXES[axis]) || (OTHERS[out.length % OTHERS.length] as string),
        changes: rows.some((r) => r.from[0] !== r.to[0] || r.after !== undefined || r.before !== undefined),
        reader: new ChannelReader(desk.program, target, channel),
      });
    }
  }
  return out;
}

export const valueText = (s: Pick<Shown, "per" | "unit">, value: number, decimals = 2): string =>
  `${formatNumber(value / s.per, decimals)}${s.unit === "°" ? "°" : s.unit ? ` ${s.unit}` : ""}`;

/** Lowest and highest value of a channel over a time, its points included. */
export function reachOf(s: Shown, t0: number, t1: number): { low: number; high: number } {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  const take = (v: number) => {
    low = Math.min(low, v);
    high = Math.max(high, v);
  };
  for (let i = 0; i <= 120; i++) take(s.reader.at(t0 + ((t1 - t0) * i) / 120));
  for (const k of s.curve.keys) if (k.at >= t0 && k.at <= t1) take(k.value);
  return { low, high };
}
