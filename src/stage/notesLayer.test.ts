import * as THREE from "three";
import { expect, test } from "vitest";
import { seconds, smallIndex } from "../../tests/support/assembly";
import { richFilm, richPreparation } from "../../tests/support/richFilm";
import { compile } from "../core/program/compile";
import { notesOf } from "../core/program/overlay";
import { pose } from "../core/program/pose";
import { createPose } from "../core/program/sampling";
import { anyNoteShown, NotesDrawn } from "./notesLayer";

const whole = { left: 0, top: 0, width: 640, height: 360 };

test("labels are drawn again only when something of them is another", () => {
  const program = compile(smallIndex(), richPreparation, richFilm());
  expect(notesOf(program).length).toBeGreaterThan(0);
  const at = createPose(program);
  const shownAt = Array.from({ length: 400 }, (_, i) => Math.round((program.steps.length * i) / 400)).filter((t) => {
    pose(program, t, at);
    return anyNoteShown(program, at);
  });
  expect(shownAt.length).toBeGreaterThan(10);
  const camera = new THREE.PerspectiveCamera(40, 16 / 9, 1, 5000);
  camera.position.set(0, -400, 80);
  camera.lookAt(0, 0, 0);
  camera.updateMatrixWorld();
  const drawn = new NotesDrawn();
  const changed = (place = whole, picture = whole) => drawn.changed(program, at, camera, place, picture);
  pose(program, shownAt[5] as number, at);
  expect([changed(), changed(), changed()]).toEqual([true, false, false]);
  // The view, the moment, the place of the picture, or an empty canvas.
  camera.position.x += 0.5;
  camera.updateMatrixWorld();
  expect([changed(), changed()]).toEqual([true, false]);
  pose(program, (shownAt[5] as number) + seconds(20), at);
  expect([changed(), changed()]).toEqual([true, false]);
  pose(program, shownAt[5] as number, at);
  expect([changed(), changed()]).toEqual([true, false]);
  expect([changed({ ...whole, width: 641 }), changed(whole, { ...whole, top: 3 }), changed()]).toEqual([
    true,
    true,
    true,
  ]);
  drawn.wiped();
  expect([changed(), changed()]).toEqual([true, false]);
});
