import { gearOutline, type Solid, type Solids, type Vec } from "./solids";

/** A part or sub-assembly of the demo product: modelled once, placed as often as `at` says where it is used. */
export interface Item {
  name: string;
  solid?: Solid;
  color?: readonly [number, number, number, number?];
  items?: Placed[];
}
export interface Placed {
  item: Item;
  /** Name of the occurrence; the item's own by default. */
  name?: string;
  at?: Vec;
  /** Turn about an axis through the origin, before the shift. */
  turn?: readonly [Vec, number];
}

/** What changes between the two revisions of the product. */
export interface Revision {
  cartridgeLength: number;
  wallScrews: number;
  gripName: string;
}
export const REVISION_A: Revision = { cartridgeLength: 104, wallScrews: 4, gripName: "Grip" };
export const REVISION_B: Revision = { cartridgeLength: 112, wallScrews: 3, gripName: "Turning grip" };

const hex = (code: string, alpha = 1): [number, number, number, number] => {
  const n = Number.parseInt(code, 16);
  return [((n >> 16) & 255) / 255, ((n >> 8) & 255) / 255, (n & 255) / 255, alpha];
};
const PAINT = hex("C9CDCB");
const WALL = hex("5E7382");
const SUN = hex("DDA63A");
const SLATE = hex("39434C");
const RUBBER = hex("2B2D30");
const STEEL = hex("B7BCC2");
const ZINC = hex("9CA3AA");
const BRASS = hex("C29A52");
const ALLOY = hex("D3D7DA");
const RUST = hex("C4633F");
const SKY = hex("4E8FB5");
const CLEAR = hex("A9D3E4", 0.32);
const CLOTH = hex("F0EEE6");

// Where things stand: Z up, the front looks along +Y. All mm.
const FILTER: Vec = [-72, 0, 0];
const CRANK: Vec = [78, 0, 152];
const PINION: Vec = [18, 0, 152];
const CYLINDER: Vec = [18, 14, 0];
const STROKE_RADIUS = 16;
const ROD = 62;
const X: Vec = [1, 0, 0];
const Y: Vec = [0, 1, 0];
const Z: Vec = [0, 0, 1];
const BACK: Vec = [0, -1, 0];

/** The whole product, a made-up hand-cranked water purifier: five sub-assemblies at three levels. */
export function rill(s: Solids, rev: Revision): Item {
  const {
    box,
    cylinder,
    cone,
    sphere,
    torus,
    fuse,
    cut,
    tube,
    prism,
    moved,
    turned,
    fillet,
    upright,
    alongY,
    atZ,
    spring,
  } = s;
  const part = (name: string, color: Item["color"], solid: Solid): Item => ({ name, color, solid });
  const group = (name: string, items: Placed[]): Item => ({ name, items });

  const hexagon = (r: number): [number, number][] =>
    [0, 1, 2, 3, 4, 5].map((i) => [r * Math.cos((i * Math.PI) / 3), r * Math.sin((i * Math.PI) / 3)]);
  /** Cap screw along -Z, head on z 0..4, with a hexagon socket. */
  const screw = part(
    "Cap screw M4x12",
    ZINC,
    cut(
      fuse(fillet(cylinder([0, 0, 0], Z, 3.6, 4), 0.5, atZ(4)), cylinder([0, 0, -12], Z, 2, 12)),
      prism(hexagon(1.9), 1.6, 5),
    ),
  );
  const facingFront = (at: Vec): Pick<Placed, "at" | "turn"> => ({ at, turn: [X, 90] });

  // Frame
  let base = fillet(box([-142, -92, 0], [142, 92, 10]), 22, upright);
  base = fillet(base, 2, atZ(10));
  base = cut(
    base,
    cylinder([FILTER[0], 0, 6], Z, 40, 8),
    ...[-1, 1].flatMap((x) => [-1, 1].map((y) => cylinder([x * 114, y * 66, -1], Z, 4.2, 12))),
  );
  const basePlate = part("Base plate", PAINT, base);
  let wall = fillet(box([-134, 72, 10], [134, 80, 236]), 26, (a, b) => alongY(a, b) && a[2] > 200);
  wall = cut(
    wall,
    cylinder([CRANK[0], 70, CRANK[2]], Y, 9, 14),
    cylinder([PINION[0], 70, PINION[2]], Y, 9, 14),
    ...[-40, 0, 40].map((z) => fillet(box([-30 + 0 * z, 70, 62 + z / 2 - 4], [-4, 82, 62 + z / 2 + 4]), 3.9, alongY)),
  );
  const backWall = part("Back wall", WALL, wall);
  const pad = part("Foot pad", RUBBER, fillet(cone([0, 0, -24], Z, 17, 12, 16), 1.5, atZ(-24)));
  const bolt = part("Foot bolt", ZINC, fuse(cylinder([0, 0, -10], Z, 4, 18), cylinder([0, 0, -8], Z, 7, 3)));
  const foot = group("Foot", [{ item: pad }, { item: bolt }]);
  const seat = part(
    "Bowl seat",
    SLATE,
    cut(
      fuse(tube([0, 0, 6], Z, 56, 47, 12), tube([0, 0, 6], Z, 62, 47, 5)),
      ...[0, 90, 180, 270].map((a) => turned(cylinder([58, 0, 5], Z, 2.1, 8), [0, 0, 0], Z, a + 45)),
    ),
  );
  const collar = part(
    "Filter collar",
    SLATE,
    cut(
      fuse(
        cylinder([0, 0, 120], Z, 55, 12),
        box([-26, 40, 120], [26, 72, 132]),
        box([-9, -66, 120], [9, -50, 132]),
        box([-9, -66, 120], [9, -61, 176]),
      ),
      cylinder([0, 0, 118], Z, 46.6, 16),
    ),
  );
  const fitting = part(
    "Inlet hose fitting",
    BRASS,
    cut(
      fuse(
        prismX(s, hexagon(9), 70, 78),
        cylinder([78, 0, 0], X, 6, 8),
        cone([86, 0, 0], X, 7.4, 6, 8),
        cone([94, 0, 0], X, 7.4, 6, 8),
        cone([102, 0, 0], X, 7.4, 5.4, 8),
      ),
      cylinder([60, 0, 0], X, 3.6, 60),
    ),
  );
  const spout = part(
    "Outlet spout",
    ALLOY,
    cut(
      fuse(
        cylinder([-44, 0, 100], [-1, 0, 0], 7, 38),
        sphere([-82, 0, 100], 7),
        cylinder([-82, 0, 72], Z, 7, 28),
        tube([-48, 0, 100], [-1, 0, 0], 11, 5, 5),
      ),
      cylinder([-40, 0, 100], [-1, 0, 0], 4.6, 42),
      cylinder([-82, 0, 70], Z, 4.6, 30),
    ),
  );
  const bracket = part(
    "Hinge bracket",
    SLATE,
    cut(
      fuse(
        // Below the hinge, so that the lid that swings back finds room above it.
        box([-34, 66, 162], [34, 72, 186]),
        ...[-24, 24].flatMap((x) => [box([x - 6, 58, 182], [x + 6, 70, 186]), cylinder([x - 6, 58, 188], X, 6, 12)]),
      ),
      cylinder([-40, 58, 188], X, 2.6, 80),
    ),
  );
  const wallScrews: Placed[] = [
    [-118, 30],
    [118, 30],
    [-118, 204],
    [118, 204],
  ]
    .slice(0, rev.wallScrews)
    .map(([x, z]) => ({ item: screw, ...facingFront([x as number, 72, z as number]) }));
  const frame = group("Frame", [
    { item: basePlate },
    { item: backWall },
    ...[-1, 1].flatMap((x) => [-1, 1].map((y): Placed => ({ item: foot, at: [x * 114, y * 66, 0] }))),
    { item: seat, at: FILTER },
    { item: collar, at: FILTER },
    { item: fitting, at: [CYLINDER[0], CYLINDER[1], 28] },
    { item: spout, at: FILTER },
    { item: bracket, at: FILTER },
    ...wallScrews,
  ]);

  // Crank drive: 36 and 12 teeth, module 2.5, so centres 60 mm apart and three turns of the pinion to one of the crank.
  const upY = (solid: Solid) => turned(solid, [0, 0, 0], X, -90);
  const wheel = part(
    "Gear wheel 36T",
    BRASS,
    upY(
      cut(
        fuse(prism(gearOutline(36, 2.5), 0, 10), cylinder([0, 0, -6], Z, 13, 22)),
        cylinder([0, 0, -8], Z, 6, 30),
        ...[0, 60, 120, 180, 240, 300].map((a) => turned(cylinder([27, 0, -2], Z, 8, 14), [0, 0, 0], Z, a)),
      ),
    ),
  );
  // Half a tooth on, so that the pinion's gap meets the wheel's tooth on the line of centres.
  const pinion = part(
    "Pinion 12T",
    STEEL,
    upY(
      turned(
        cut(fuse(prism(gearOutline(12, 2.5), 0, 12), cylinder([0, 0, -4], Z, 9, 20)), cylinder([0, 0, -6], Z, 5, 24)),
        [0, 0, 0],
        Z,
        180 / 12,
      ),
    ),
  );
  const bearing = part(
    "Bearing",
    ALLOY,
    upY(fuse(tube([0, 0, -3], Z, 15, 12.4, 9), tube([0, 0, -2], Z, 12.8, 9.6, 7), tube([0, 0, -3], Z, 9.8, 6, 9))),
  );
  const crankShaft = part("Crank shaft", STEEL, fuse(cylinder([0, -44, 0], Y, 6, 132), cylinder([0, 84, 0], Y, 8, 3)));
  const arm = part(
    "Crank arm",
    SLATE,
    fillet(
      cut(
        fuse(cylinder([0, -44, 0], Y, 14, 10), cylinder([78, -44, 0], Y, 10, 10), taper(s)),
        cylinder([0, -46, 0], Y, 6, 14),
        cylinder([78, -46, 0], Y, 4, 14),
      ),
      1.2,
      (a, b) =>
        (Math.abs(a[1] + 44) < 1e-6 && Math.abs(b[1] + 44) < 1e-6) ||
        (Math.abs(a[1] + 34) < 1e-6 && Math.abs(b[1] + 34) < 1e-6),
    ),
  );
  const grip = part(
    rev.gripName,
    SUN,
    cut(
      fillet(
        fuse(cylinder([78, -112, 0], Y, 12, 62), cone([78, -122, 0], Y, 8, 12, 10)),
        2.5,
        (a, b) => Math.abs(a[1] + 50) < 1e-6 && Math.abs(b[1] + 50) < 1e-6,
      ),
      cylinder([78, -124, 0], Y, 4, 90),
    ),
  );
  const gripPin = part("Grip pin", STEEL, fuse(cylinder([78, -118, 0], Y, 4, 84), cylinder([78, -124, 0], Y, 6, 3)));
  const armScrew = part("Arm screw", ZINC, turned(screw.solid, [0, 0, 0], X, 90));
  const pinionShaft = part("Pinion shaft", STEEL, cylinder([0, 22, 0], Y, 5, 66));
  const pinionAssembly = group("Pinion set", [
    { item: pinionShaft },
    { item: pinion, at: [0, 39, 0] },
    { item: bearing, at: [0, 70, 0] },
  ]);
  const tilt: Placed["turn"] = [Y, -28];
  const drive = group("Crank drive", [
    { item: crankShaft, at: CRANK },
    { item: wheel, at: [CRANK[0], 40, CRANK[2]] },
    { item: arm, at: CRANK, turn: tilt },
    { item: grip, at: CRANK, turn: tilt },
    { item: gripPin, at: CRANK, turn: tilt },
    { item: armScrew, at: [CRANK[0], -44, CRANK[2]] },
    { item: bearing, at: [CRANK[0], 68, CRANK[2]] },
    { item: pinionAssembly, at: PINION },
    ...[-20, 20].map((dx): Placed => ({ item: screw, ...facingFront([CRANK[0] + dx, 72, CRANK[2]]) })),
  ]);

  // Pump: the crank pin stands straight up at home; the rod hangs from it to the plunger.
  const top = PINION[2] + STROKE_RADIUS;
  const wrist = top - ROD;
  const disc = part(
    "Crank disc",
    RUST,
    upY(
      cut(
        fillet(cylinder([0, 0, 0], Z, 25, 9), 1.2, atZ(0)),
        cylinder([0, 0, -2], Z, 5, 14),
        ...[-60, 60].map((a) => turned(cylinder([0, 15, -2], Z, 5.5, 14), [0, 0, 0], Z, a)),
      ),
    ),
  );
  const crankPin = part("Crank pin", STEEL, fuse(cylinder([0, -15, 0], Y, 4, 24), cylinder([0, -17, 0], Y, 6, 3)));
  const rod = part(
    "Connecting rod",
    SLATE,
    cut(
      fuse(cylinder([0, -4, 0], Y, 9, 8), cylinder([0, -4, -ROD], Y, 8, 8), box([-4.5, -3, -ROD], [4.5, 3, 0])),
      cylinder([0, -6, 0], Y, 4, 12),
      cylinder([0, -6, -ROD], Y, 3.5, 12),
    ),
  );
  const wristPin = part("Wrist pin", STEEL, cylinder([0, -10, 0], Y, 3.5, 20));
  const plunger = part(
    "Plunger",
    ALLOY,
    cut(
      fuse(
        cylinder([0, 0, -48], Z, 15.4, 20),
        cylinder([0, 0, -30], Z, 5, 26),
        fillet(box([-9, -9, -8], [9, 9, 9]), 3, alongY),
      ),
      box([-12, -4.4, -9], [12, 4.4, 12]),
      cylinder([0, -12, 0], Y, 3.5, 24),
      ...[-34, -43].map((z) => tube([0, 0, z - 1.6], Z, 17, 13.4, 3.2)),
    ),
  );
  const plungerSeal = part("Plunger seal", RUBBER, torus([0, 0, 0], Z, 14.4, 1.6));
  const plungerSet = group("Plunger set", [
    { item: plunger },
    { item: plungerSeal, at: [0, 0, -34] },
    { item: plungerSeal, at: [0, 0, -43] },
  ]);
  const barrel = part(
    "Pump cylinder",
    hex("C7D0D4", 0.45),
    cut(
      fuse(
        cylinder([0, 0, 10], Z, 21, 84),
        cylinder([0, 0, 10], Z, 30, 6),
        cylinder([0, 0, 28], X, 10, 26),
        cylinder([0, 0, 28], BACK, 10, 26),
      ),
      cylinder([0, 0, 18], Z, 16.1, 80),
      cylinder([0, 0, 28], X, 6.4, 28),
      cylinder([0, 0, 28], BACK, 6.4, 28),
      ...[45, 135, 225, 315].map((a) => turned(cylinder([25.5, 0, 8], Z, 2.1, 10), [0, 0, 0], Z, a)),
    ),
  );
  const valveBody = part(
    "Valve body",
    BRASS,
    cut(
      fuse(cylinder([26, 0, 0], X, 11, 30), prismX(s, hexagon(13), 34, 44)),
      cylinder([24, 0, 0], X, 4, 34),
      cylinder([36, 0, 0], X, 8, 22),
    ),
  );
  const valveDisc = part("Valve disc", RUST, fuse(cylinder([36, 0, 0], X, 6.6, 2.4), cylinder([38, 0, 0], X, 2, 6)));
  const valveSpring = part(
    "Valve spring",
    STEEL,
    moved(turned(spring(4.6, 0.7, 2.9, 4), [0, 0, 0], Y, 90), [39.2, 0, 0]),
  );
  const valveCap = part(
    "Valve cap",
    ALLOY,
    cut(fuse(cylinder([52, 0, 0], X, 13, 8), cylinder([60, 0, 0], X, 9, 10)), cylinder([50, 0, 0], X, 5, 24)),
  );
  const valve = group("Valve", [{ item: valveBody }, { item: valveDisc }, { item: valveSpring }, { item: valveCap }]);
  const pump = group("Pump", [
    { item: barrel, at: CYLINDER },
    ...[45, 135, 225, 315].map((a): Placed => {
      const r = (a * Math.PI) / 180;
      return { item: screw, at: [CYLINDER[0] + 25.5 * Math.cos(r), CYLINDER[1] + 25.5 * Math.sin(r), 16] };
    }),
    { item: disc, at: [PINION[0], 22, PINION[2]] },
    { item: crankPin, at: [PINION[0], 22, top] },
    { item: rod, at: [PINION[0], 14, top] },
    { item: wristPin, at: [CYLINDER[0], CYLINDER[1], wrist] },
    { item: plungerSet, at: [CYLINDER[0], CYLINDER[1], wrist] },
    { item: valve, name: "Inlet valve", at: [CYLINDER[0], CYLINDER[1], 28] },
    // To the front: on the left stands the filter.
    { item: valve, name: "Outlet valve", at: [CYLINDER[0], CYLINDER[1], 28], turn: [Z, 270] },
  ]);

  // Filter
  const bowl = part(
    "Filter bowl",
    CLEAR,
    cut(
      fuse(
        fillet(cylinder([0, 0, 8], Z, 46, 142), 6, atZ(8)),
        cylinder([0, 0, 138], Z, 49, 12),
        cylinder([0, -36, 26], BACK, 11, 16),
      ),
      cylinder([0, 0, 14], Z, 42, 140),
      cylinder([0, -30, 26], BACK, 6, 24),
    ),
  );
  const plug = part(
    "Drain plug",
    SUN,
    fuse(
      cylinder([0, -36, 26], BACK, 5.8, 16),
      moved(turned(prism(hexagon(10), 0, 8), [0, 0, 0], X, 90), [0, -54, 26]),
      cylinder([0, -62, 26], BACK, 6, 3),
    ),
  );
  const drainSeal = part("Drain seal", RUBBER, torus([0, -53, 26], Y, 7.6, 1.4));
  const h = rev.cartridgeLength;
  const pleats = Array.from({ length: 56 }, (_, i): [number, number] => {
    const r = i % 2 ? 30 : 24.5;
    return [r * Math.cos((i * Math.PI) / 28), r * Math.sin((i * Math.PI) / 28)];
  });
  const sleeve = part("Pleated sleeve", CLOTH, cut(prism(pleats, 6, h - 6), cylinder([0, 0, 0], Z, 13, h)));
  const core = part(
    "Cartridge core",
    SKY,
    cut(
      tube([0, 0, 4], Z, 12.6, 10.4, h - 8),
      ...[0, 90].flatMap((a) =>
        [0.25, 0.5, 0.75].map((f) => turned(cylinder([-20, 0, h * f], X, 3, 40), [0, 0, 0], Z, a)),
      ),
    ),
  );
  const endCap = part(
    "End cap",
    SKY,
    fuse(fillet(cylinder([0, 0, 0], Z, 32, 7), 1.5, atZ(0)), tube([0, 0, -6], Z, 12, 8, 7)),
  );
  const cartridge = group("Cartridge", [
    { item: core },
    { item: sleeve },
    { item: endCap, name: "Lower end cap" },
    { item: endCap, name: "Upper end cap", at: [0, 0, h], turn: [X, 180] },
  ]);
  const scallops = Array.from({ length: 12 }, (_, i) => turned(cylinder([58, 0, 140], Z, 6, 24), [0, 0, 0], Z, i * 30));
  const cap = part(
    "Bayonet cap",
    SUN,
    cut(
      fuse(
        fillet(cut(cylinder([0, 0, 142], Z, 55, 20), ...scallops), 1, atZ(162)),
        fillet(box([-38, -7, 160], [38, 7, 172]), 4, upright),
      ),
      cylinder([0, 0, 140], Z, 49.4, 12),
    ),
  );
  const capSeal = part("Cap seal", RUBBER, torus([0, 0, 151.6], Z, 44, 2));
  const filter = group("Filter", [
    { item: bowl, at: FILTER },
    { item: plug, at: FILTER },
    { item: drainSeal, at: FILTER },
    { item: cartridge, at: [FILTER[0], FILTER[1], 26] },
    { item: capSeal, at: FILTER },
    { item: cap, at: FILTER },
  ]);

  // Lid: hinged behind, latched in front.
  const shell = part(
    "Lid shell",
    PAINT,
    fuse(
      cut(
        fillet(cylinder([0, 0, 176], Z, 60, 26), 8, atZ(202)),
        cylinder([0, 0, 170], Z, 56.5, 28),
        // Round about the hinge, for the bracket's eyes.
        cylinder([-30.5, 58, 188], X, 7, 12.6),
        cylinder([17.9, 58, 188], X, 7, 12.6),
      ),
      ...[-12, 12].map((x) =>
        cut(
          fuse(box([x - 6, 50, 184], [x + 6, 58, 192]), cylinder([x - 6, 58, 188], X, 6, 12)),
          cylinder([x - 8, 58, 188], X, 2.6, 16),
          cylinder([0, 0, 170], Z, 56.5, 28),
        ),
      ),
      cut(
        box([-12, -64, 182], [12, -55, 194]),
        cylinder([-20, -61, 188], X, 2.2, 40),
        box([-7.4, -70, 180], [7.4, -58.5, 196]),
      ),
    ),
  );
  const hingePin = part("Hinge pin", STEEL, cylinder([-34, 58, 188], X, 2.5, 68));
  const latch = part(
    "Latch",
    SLATE,
    cut(
      fillet(
        fuse(
          cylinder([-7, -61, 188], X, 4.4, 14),
          box([-7, -70, 160], [7, -64.6, 190]),
          box([-7, -70, 158], [7, -61, 164]),
        ),
        1,
        (a, b) => Math.abs(a[1] + 70) < 1e-6 && Math.abs(b[1] + 70) < 1e-6,
      ),
      cylinder([-10, -61, 188], X, 2.2, 20),
    ),
  );
  const latchPin = part("Latch pin", STEEL, cylinder([-12, -61, 188], X, 2.1, 24));
  const badge = part("Lid badge", SUN, fuse(cylinder([0, 0, 201.5], Z, 20, 2), cylinder([0, 0, 201.5], Z, 7, 4)));
  const lid = group("Lid", [
    { item: shell, at: FILTER },
    { item: hingePin, at: FILTER },
    { item: latch, at: FILTER },
    { item: latchPin, at: FILTER },
    { item: badge, at: FILTER },
  ]);

  return group("Rill H2", [{ item: frame }, { item: drive }, { item: pump }, { item: filter }, { item: lid }]);
}

/** Prism over a polygon in YZ, along X. */
function prismX(s: Solids, points: [number, number][], x0: number, x1: number): Solid {
  return s.turned(s.prism(points, x0, x1), [0, 0, 0], [0, 1, 0], 90);
}

/** The tapering web of the crank arm. */
function taper(s: Solids): Solid {
  const web = s.prism(
    [
      [0, -11],
      [78, -7],
      [78, 7],
      [0, 11],
    ],
    34,
    44,
  );
  return s.turned(web, [0, 0, 0], [1, 0, 0], 90);
}
