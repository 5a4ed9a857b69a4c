import { type JointKind, turns } from "./jointKinds";

/** What a link needs of a joint: that it turns, or runs along a line. */
export type Need = "any" | "turning" | "straight";

/** A setting of a link, as it is typed, chosen or pointed at. */
export type LinkField = { name: string; label: string } & (
  | {
      type: "number";
      /** mm, degrees, a plain number, or whatever the driver or the follower is read in. */
      of: "length" | "angle" | "plain" | "driver" | "follower";
      rule?: "not-zero" | "positive" | "teeth";
      /** One side of a proportion: so many of the one for so many of the other, shown as it is. */
      share?: true;
    }
  | { type: "switch" }
  | { type: "choice"; choices: readonly (readonly [value: number, label: string])[] }
  /** The part or group that connects the two pins. */
  | { type: "piece" }
  /** A place in the assembly's frame, home, mm. */
  | { type: "pin" }
  /** Pairs of driver and follower, with the period in which they repeat. */
  | { type: "points"; period: string }
);

interface LinkRow {
  title: string;
  /** Of driver and follower. */
  needs: readonly [Need, Need];
  /** Its settings as it begins. */
  start: Readonly<Record<string, unknown>>;
  fields: readonly LinkField[];
}

const offset = { name: "offset", label: "Offset", type: "number" } as const;
const travel = [
  { name: "travel", label: "Travel a turn", type: "number", of: "length", rule: "not-zero" },
  { ...offset, of: "length" },
] as const;

/**
 * The kinds of links, those first that are offered first. A new one is a row here, a schema in the preparation and a
 * function in `links.ts`: its fields, what it couples, how it begins, and what a change of unit does to it follow.
 */
const KINDS = {
  gears: {
    title: "Gear pair",
    needs: ["turning", "turning"],
    start: { driverTeeth: 20, followerTeeth: 20, internal: false, offset: 0 },
    fields: [
      { name: "driverTeeth", label: "Teeth of driver", type: "number", of: "plain", rule: "teeth" },
      { name: "followerTeeth", label: "Teeth of this", type: "number", of: "plain", rule: "teeth" },
      { name: "internal", label: "ring gear (turns the same way)", type: "switch" },
      { ...offset, of: "angle" },
    ],
  },
  "crank-slider": {
    title: "Crank and slider",
    needs: ["turning", "straight"],
    start: { rod: null, radius: 10, rodLength: 40, offset: 0, homeAngle: 0, branch: 1 },
    fields: [
      { name: "radius", label: "Crank radius", type: "number", of: "length", rule: "positive" },
      { name: "rodLength", label: "Rod length", type: "number", of: "length", rule: "positive" },
      { name: "offset", label: "Offset of line", type: "number", of: "length" },
      { name: "homeAngle", label: "Angle at home", type: "number", of: "angle" },
      {
        name: "branch",
        label: "Slider lies",
        type: "choice",
        choices: [
          [1, "ahead"],
          [-1, "behind"],
        ],
      },
      { name: "rod", label: "Rod", type: "piece" },
    ],
  },
  rack: { title: "Rack and pinion", needs: ["turning", "straight"], start: { travel: 50, offset: 0 }, fields: travel },
  lead: { title: "Screw lead", needs: ["turning", "straight"], start: { travel: 1, offset: 0 }, fields: travel },
  ratio: {
    title: "Ratio",
    needs: ["any", "any"],
    start: { num: 1, den: 1, offset: 0 },
    fields: [
      { name: "num", label: "Goes", type: "number", of: "follower", share: true },
      { name: "den", label: "for each", type: "number", of: "driver", rule: "not-zero", share: true },
      { ...offset, of: "follower" },
    ],
  },
  "four-bar": {
    title: "Four bars",
    needs: ["turning", "turning"],
    start: { coupler: null, driverPin: [0, 0, 0], followerPin: [0, 0, 0], crossed: false },
    fields: [
      { name: "driverPin", label: "Pin on driver", type: "pin" },
      { name: "followerPin", label: "Pin on this", type: "pin" },
      { name: "crossed", label: "crossed bars", type: "switch" },
      { name: "coupler", label: "Coupler", type: "piece" },
    ],
  },
  cam: {
    title: "Cam curve",
    needs: ["any", "any"],
    start: {
      points: [
        [0, 0],
        [180, 10],
        [360, 0],
      ],
      period: 360,
    },
    fields: [{ name: "points", label: "Curve", type: "points", period: "period" }],
  },
} as const satisfies Record<string, LinkRow>;

export type LinkKind = keyof typeof KINDS;
export const LINK_KINDS: Readonly<Record<LinkKind, LinkRow>> = KINDS;
export const LINK_KIND_NAMES = Object.keys(KINDS) as [LinkKind, ...LinkKind[]];

/** What a kind of link needs of driver and follower; anything, where it is none of these. */
export const needsOf = (kind: string): readonly [Need, Need] =>
  Object.hasOwn(KINDS, kind) ? KINDS[kind as LinkKind].needs : ["any", "any"];

/** Whether a joint is what a link needs. */
export const fitsNeed = (need: Need, joint: { kind: JointKind }): boolean =>
  need === "any" || (need === "turning") === turns(joint);

/** Kinds of link that can couple two joints, the likeliest first. */
export const kindsFor = (driver: { kind: JointKind }, follower: { kind: JointKind }): LinkKind[] =>
  LINK_KIND_NAMES.filter((kind) => {
    const [a, b] = KINDS[kind].needs;
    return fitsNeed(a, driver) && fitsNeed(b, follower);
  });

/** What a link's setting is, whatever its kind. */
const settingOf = (link: object, name: string): unknown => Reflect.get(link, name);

/** The part or group between a link's pins; null where it has none. */
export function pieceOf<T>(link: { kind: LinkKind }): T | null {
  const field = LINK_KINDS[link.kind].fields.find((f) => f.type === "piece");
  return field ? (settingOf(link, field.name) as T | null) : null;
}

/**
 * Makes a link's lengths greater by a factor, in place.
 * @param straight whether driver and follower are read in mm
 */
export function scaleLink(link: { kind: LinkKind }, straight: readonly [boolean, boolean], factor: number): void {
  const put = (name: string, value: unknown) => Reflect.set(link, name, value);
  const [from, to] = straight.map((is) => (is ? factor : 1)) as [number, number];
  for (const f of LINK_KINDS[link.kind].fields) {
    const value = settingOf(link, f.name);
    if (f.type === "number") {
      const by = f.of === "length" ? factor : f.of === "driver" ? from : f.of === "follower" ? to : 1;
      put(f.name, (value as number) * by);
    } else if (f.type === "pin")
      put(
        f.name,
        (value as number[]).map((v) => v * factor),
      );
    else if (f.type === "points") {
      put(
        f.name,
        (value as [number, number][]).map(([a, b]) => [a * from, b * to]),
      );
      const period = settingOf(link, f.period);
      if (period !== null) put(f.period, (period as number) * from);
    }
  }
}
