import { expect, test } from "vitest";
import { preparation, seconds, sequenceOf, smallIndex } from "../../../../tests/support/assembly";
import type { Step } from "../../../core/document/sequence";
import { compile } from "../../../core/program/compile";
import { captionsAsVtt } from "./webvtt";

test("a cue for each step that has a caption, from its start to its end, with markup as text", () => {
  const sequence = sequenceOf([{}, {}, {}]);
  (sequence.steps.s0 as Step).caption = "Loosen the <cap> & lift";
  (sequence.steps.s2 as Step).caption = "First line\n\n\nsecond line";
  (sequence.steps.s2 as Step).stillAfter = seconds(3600);
  expect(captionsAsVtt(compile(smallIndex(), preparation(), sequence))).toBe(
    "WEBVTT\n\n00:00:00.000 --> 00:00:03.000\nLoosen the &lt;cap&gt; &amp; lift\n\n00:00:06.000 --> 01:00:08.500\nFirst line\nsecond line\n",
  );
});

test("no captions make an empty file that is still one", () => {
  expect(captionsAsVtt(compile(smallIndex(), preparation(), sequenceOf([{}])))).toBe("WEBVTT\n\n\n");
});
