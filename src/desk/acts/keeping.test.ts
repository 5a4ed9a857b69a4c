import { expect, test } from "vitest";
import { CAMERA, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { type CameraValues, keysOf } from "../../core/document/sequence";
import type { Desk } from "../port";
import { keepView } from "./keeping";

/** A desk whose stage looks as given while the sequence has its camera where it begins. */
function looking(view: Partial<CameraValues>): Desk {
  const s = sequenceOf([{}]);
  if (s.steps.s0) s.steps.s0.action = seconds(4);
  const desk = smallDesk(s);
  // Whatever else the stage is told, it does nothing.
  const deaf = <T extends object>(own: T): T =>
    new Proxy(own, { get: (o, name) => Reflect.get(o, name) ?? (() => undefined) });
  const cameras = deaf({ keptView: () => ({ ...CAMERA, ...view }), programValues: () => ({ ...CAMERA }) });
  Object.defineProperty(desk, "view", { value: deaf({ cameras }) });
  return desk;
}
const arrivals = (desk: Desk) =>
  Object.values(desk.body().steps.s0?.moves ?? {}).flatMap((m) => keysOf(m).map((k) => [k.at, k.values]));

test.each([
  ["nearer", { distance: 200 }],
  ["farther", { distance: 900 }],
  ["lower", { elevation: -15 }],
])("a view that is %s is kept as an arrival of the whole camera", (_, view) => {
  const desk = looking(view);
  desk.seek(seconds(2.5));
  expect(keepView(desk)).toBe(true);
  expect(arrivals(desk)).toEqual([[seconds(2), { ...CAMERA, ...view }]]);
});

test("a view that the camera has is not kept again; one from the other side arrives by the shorter way", () => {
  const same = looking({});
  same.seek(seconds(2.5));
  expect(keepView(same)).toBe(false);
  expect(arrivals(same)).toEqual([]);
  const round = looking({ azimuth: 390 });
  round.seek(seconds(2.5));
  expect(keepView(round)).toBe(false);
  const over = looking({ azimuth: 350 });
  over.seek(seconds(2.5));
  expect(keepView(over)).toBe(true);
  expect(arrivals(over)[0]?.[1]).toMatchObject({ azimuth: -10 });
});
