import type { Target } from "../../core/document/sequence";
import { targetName } from "../names";
import type { Desk } from "../port";
import { calculated, splitValues } from "../typing/arithmetic";
import type { ValueKind } from "../typing/valueFields";
import { keepPending } from "./keeping";
import { pendingHere } from "./pending";
import { pend, pendAll } from "./posing";

/**
 * Of things chosen together those that show all of their values: whatever moves or waits to be kept, and one for all that
 * rest at home. Thousands are chosen at once, of which few move; a field of values asks each of them.
 */
export function thatTell(desk: Desk, targets: readonly Target[]): readonly Target[] {
  let resting = false;
  return targets.filter((t) => {
    if (desk.program.atHome(t, "opacity") === null || pendingHere(desk, t)) return true;
    const first = !resting;
    resting = true;
    return first;
  });
}

/** What things show of channels now: one value where all agree, null where they differ. */
export function commonValue(desk: Desk, targets: readonly Target[], channels: readonly string[]): number | null {
  let first: number | null = null;
  for (const t of targets)
    for (const c of channels) {
      const v = desk.valueOf(t, c);
      first ??= v;
      if (Math.abs(v - first) >= 1e-9) return null;
    }
  return first;
}

/**
 * Types a value of channels for several things at once: "+5", "*2" or "/3" is worked out on each one's own value.
 * Where keeping on release is on, it is kept at once. @returns why nothing of it was taken, or null
 */
export function typeValue(
  desk: Desk,
  targets: readonly Target[],
  channels: readonly string[],
  text: string,
  kind: ValueKind,
): string | null {
  return typeValues(desk, targets, [channels], text, kind);
}

/**
 * The same from a field on through those beside it: "12 5 30" sets three, each a list of channels that take one value.
 */
export function typeValues(
  desk: Desk,
  targets: readonly Target[],
  fields: readonly (readonly string[])[],
  text: string,
  kind: ValueKind,
): string | null {
  const parts = splitValues(text);
  if (parts.length > fields.length)
    return `${parts.length} values, but only ${fields.length} ${fields.length === 1 ? "field" : "fields"} from here on.`;
  const unit = desk.state.preparation.body.displayUnit;
  const wanted: { target: Target; values: Record<string, number> }[] = [];
  for (const target of targets) {
    const values: Record<string, number> = {};
    for (const [i, part] of parts.entries()) {
      for (const channel of fields[i] ?? []) {
        const read = calculated(part, kind, unit, desk.valueOf(target, channel));
        if ("error" in read) return read.error;
        values[channel] = read.value;
      }
    }
    wanted.push({ target, values });
  }
  const refused = pendAll(desk, wanted);
  if (refused.length < wanted.length && desk.state.keepOnRelease) keepPending(desk);
  if (refused.length === wanted.length) return refusedBy(desk);
  if (refused.length > 0)
    desk.notify(
      "problem",
      `Not taken by ${refused.map((r) => targetName(desk, r.target)).join(", ")}: ${desk.state.notice?.text ?? ""}`,
    );
  return null;
}

/** Why a pose was refused, as the desk has just said it; it is said beside the field instead, not twice. */
export function refusedBy(desk: Desk): string {
  const { notice } = desk.state;
  if (notice?.tone !== "problem") return "It cannot be moved that way.";
  desk.set({ notice: null });
  return notice.text;
}

/** Poses something by a value that is final: where keeping on release is on, it is kept at once. */
export function pendTyped(desk: Desk, target: Target, values: Record<string, number>): boolean {
  if (!pend(desk, target, values)) return false;
  if (desk.state.keepOnRelease) keepPending(desk);
  return true;
}
