import { describe, expect, test } from "vitest";
import { seconds } from "../../../tests/support/assembly";
import { richFilm } from "../../../tests/support/richFilm";
import type { Move, Target } from "../document/sequence";
import { runCommand } from "./history";
import { mapIds, mapMoveLengths, mapMoveTimes, mapTargets, namedTargets, namesCamera } from "./traverse";

const film = richFilm();
const move = (step: string, id: string): Move => structuredClone(film.steps[step]?.moves[id]) as Move;
const name = (t: Target) => (t.type === "node" ? t.key : "id" in t ? t.id : t.type);

describe("everything that a move names", () => {
  test("is its targets, and parts in its settings, alone and in lists", () => {
    const of = (step: string, id: string) => namedTargets(move(step, id)).map(name);
    expect(of("s0", "grp")).toEqual(["g"]);
    expect(of("s1", "off")).toEqual(["root/arm/b"]);
    expect(of("s1", "fit")).toContain("root/arm");
    expect(of("s2", "follow")).toContain("root/arm");
    expect([
      namesCamera(move("s1", "fit"), "main"),
      namesCamera(move("s1", "fit"), "other"),
      namesCamera(move("s1", "off"), "main"),
    ]).toEqual([true, false, false]);
  });
  test("is taken through a function; what is gone is left out of lists, and is nothing where it stood alone", () => {
    const away = (t: Target) => (t.type === "node" && t.key === "root/arm" ? null : t);
    const fit = move("s1", "fit");
    mapTargets(fit, away);
    expect(namedTargets(fit).map(name)).not.toContain("root/arm");
    const follow = move("s2", "follow");
    mapTargets(follow, away);
    expect(follow.kind === "camera-follow" && follow.settings.part).toBeNull();
    const other = move("s0", "grp");
    mapTargets(other, (t) => (t.type === "group" ? { type: "node", key: "root" } : t));
    expect(namedTargets(other).map(name)).toEqual(["root"]);
    mapTargets(other, () => null);
    expect(namedTargets(other).map(name)).toEqual(["root"]);
  });
  test("ids: the camera that is cut to, and the original of a reversed move", () => {
    const back = Object.values(film.steps.s4?.moves ?? {}).find((m) => m.kind === "back") as Move;
    const copy = structuredClone(back);
    mapIds(copy, { original: (of) => ({ step: `${of.step}x`, move: "y" }), camera: () => "none" });
    expect(copy.kind === "back" && copy.settings.of).toEqual({ step: "s1x", move: "y" });
    const cut = { ...move("s1", "off"), kind: "camera-cut", settings: { camera: "main" } } as Move;
    expect(namesCamera(cut, "main")).toBe(true);
    mapIds(cut, { camera: (c) => `${c}2` });
    expect(namesCamera(cut, "main2")).toBe(true);
  });
});

describe("every number of a move", () => {
  test("times: start, length, those inside settings, repeats and arrivals; a moment shifts where a length does not", () => {
    const off = move("s1", "off");
    mapMoveTimes(
      off,
      (t) => t + 10,
      (t) => 2 * t,
    );
    expect(
      off.kind === "take-off" && [off.start, off.length, off.settings.attention.length, off.settings.leaving.length],
    ).toEqual([seconds(0.3) + 10, seconds(1.6), seconds(0.8), seconds(0.6)]);
    const group = move("s0", "grp");
    mapMoveTimes(
      group,
      (t) => t + 10,
      (t) => 2 * t,
    );
    expect(group.kind === "hand" && [group.keys.q?.at, group.keys.q?.lead, group.repeat?.period]).toEqual([
      seconds(0.8) + 10,
      seconds(1),
      seconds(2),
    ]);
  });
  test("lengths: distances, those of single parts too; a joint's value only where it is a length", () => {
    const double = (v: number) => 2 * v;
    const off = move("s1", "off");
    mapMoveLengths(off, () => true, double);
    expect(off.kind === "take-off" && off.settings.distance).toBe(80);
    const exploded = move("s4", "explode");
    mapMoveLengths(exploded, () => true, double);
    expect(exploded.kind === "explode" && Object.values(exploded.settings.parts).map((p) => p.distance)).toEqual([
      60, 40,
    ]);
    const drive = move("s2", "drive");
    mapMoveLengths(drive, () => false, double);
    expect(drive.kind === "joint" && drive.settings.value).toBe(80);
    mapMoveLengths(drive, (j) => j === "h", double);
    expect(drive.kind === "joint" && drive.settings.value).toBe(160);
  });
  test("works on a draft of a command as on a plain move", () => {
    const after = runCommand(film, (d) => {
      for (const m of Object.values(d.steps.s1?.moves ?? {})) mapTargets(m, (t) => t);
    });
    expect(after.document).toEqual(film);
  });
});
