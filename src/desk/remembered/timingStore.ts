import type { CurvePrefs, PlayPrefs, TimingPrefs } from "../state";

const PLAY: PlayPrefs = { speed: 1, atEnd: "stop", every: false, blocked: false, seam: false };
const TIMING: TimingPrefs = { snap: true, along: false };

function read<T extends object>(name: string, usual: T): T {
  try {
    const found = JSON.parse(localStorage.getItem(name) ?? "{}") as Partial<T>;
    const out = { ...usual };
    for (const key of Object.keys(usual) as (keyof T)[])
      if (typeof found[key] === typeof usual[key]) out[key] = found[key] as T[keyof T];
    return out;
  } catch {
    return usual;
  }
}

function write(name: string, value: object | null): void {
  try {
    if (value === null) localStorage.removeItem(name);
    else localStorage.setItem(name, JSON.stringify(value));
  } catch {
    // Without storage it holds until the page is left.
  }
}

/** How it was played last in this browser. Blocked playing and slow seams are for the moment and do not come back. */
export function lastPlay(): PlayPrefs {
  const found = read("plextan-play", PLAY);
  return { ...found, speed: Math.min(4, Math.max(0.1, found.speed)), blocked: false, seam: false };
}
export const rememberPlay = (play: PlayPrefs): void => write("plextan-play", play);

export const lastTiming = (): TimingPrefs => read("plextan-timing", TIMING);
export const rememberTiming = (timing: TimingPrefs): void => write("plextan-timing", timing);

const CURVES: CurvePrefs = {
  all: false,
  overlaid: false,
  common: false,
  changing: true,
  only: null,
  hidden: [],
  search: "",
  lock: "free",
  frames: false,
  speed: false,
  fit: false,
  behind: null,
};

/** How curves were shown last; what is looked for, alone or hidden belongs to the moment. */
export function lastCurves(): CurvePrefs {
  const { overlaid, common, changing, frames, fit, behind } = read("plextan-curves", { ...CURVES, behind: "" });
  return { ...CURVES, overlaid, common, changing, frames, fit, behind: behind === "" ? null : behind };
}
export const rememberCurves = (curves: CurvePrefs): void =>
  write("plextan-curves", { ...curves, behind: curves.behind ?? "" });

/** The sequence of a project that was open last; "" when none is known. */
export const lastSequence = (project: string): string => read(`plextan-sequence-${project}`, { open: "" }).open;
export const rememberSequence = (project: string, open: string): void => write(`plextan-sequence-${project}`, { open });

/** Whether lanes or curves were shown last. */
export const lastBelow = (): "lanes" | "curves" =>
  read("plextan-below", { shown: "lanes" }).shown === "curves" ? "curves" : "lanes";
export const rememberBelow = (shown: "lanes" | "curves"): void => write("plextan-below", { shown });

/** The part of a sequence that was played last. */
export function lastRange(sequence: string): { from: number; to: number } | null {
  const found = read(`plextan-range-${sequence}`, { from: -1, to: -1 });
  return found.from >= 0 && found.to > found.from ? found : null;
}
export const rememberRange = (sequence: string, range: { from: number; to: number } | null): void =>
  write(`plextan-range-${sequence}`, range);
