import { expect, test } from "vitest";
import { concerns, speaksTo, type Thread, threadsOf, voicesOf } from "./reading";
import { roundCsv } from "./report";
import type { Comment, Round } from "./said";

const by = { id: "g", name: "Mette", guest: true };
const comment = (change: Partial<Comment>): Comment => ({
  ...{ id: "c", to: null, text: "x", step: "s0", from: 0, until: 0, pin: null, seen: null, strokes: [] },
  ...{
    by,
    at: "2026-11-30T10:00:00.000Z",
    edited: null,
    takenBack: false,
    settled: null,
    carriedFrom: null,
    mine: false,
    picture: false,
  },
  ...change,
});
const round = (change: Partial<Round>): Round => ({
  ...{ id: "r", sequence: "q", number: 2, name: "Move the arm", note: "", at: "", version: 1 },
  ...{ me: { ...by, may: "look" as const }, changes: null, prints: [], comments: [], decisions: [], newer: null },
  ...change,
});
const steps = [
  { id: "s0", title: "Open, the lid", start: 0 },
  { id: "s1", title: "=SUM(A1)", start: 2000 },
];

test("a round as a table: states, changes, decisions, comments with their answers", () => {
  const csv = roundCsv(
    round({
      changes: { since: 1, steps: [{ step: "s0", kind: "changed", what: ["motion"] }], gone: [] },
      decisions: [{ step: "s0", verdict: "fine", by, at: "2026-11-30T11:00:00.000Z", carriedFrom: null }],
      comments: [
        comment({ id: "b", to: "a", text: "Done", step: "s1", from: 500, by: { id: "i", name: "Ines", guest: false } }),
        comment({
          id: "a",
          text: 'It says "40"\nplease',
          step: "s1",
          from: 500,
          settled: { by: "Ines", at: "", edit: "Key a pose" },
        }),
      ],
    }),
    steps,
    1000,
  );
  expect(csv.split("\r\n")).toEqual([
    "step,title,kind,time (s),who,when,what,settled by",
    '1,"Open, the lid",state,,,,fine,',
    '1,"Open, the lid",change,,,,changed: motion or look,',
    '1,"Open, the lid",decision,,Mette (guest),2026-11-30T11:00:00.000Z,fine,',
    "2,'=SUM(A1),state,,,,not decided,",
    `2,'=SUM(A1),comment,2.50,Mette (guest),2026-11-30T10:00:00.000Z,"It says ""40""\nplease",Ines: Key a pose`,
    "2,'=SUM(A1),answer,2.50,Ines,2026-11-30T10:00:00.000Z,Done,",
    "",
  ]);
});

test("what would run as a formula in a spreadsheet is text", () => {
  for (const text of ["=1+1", "+1", "-1", "@x", "\tx"]) {
    const csv = roundCsv(round({ comments: [comment({ text })] }), steps, 1000);
    expect(csv).toContain(`'${text}`);
  }
});

test("whom one can speak to, and what concerns somebody", () => {
  const ines = { id: "i", name: "Ines Maro", guest: false };
  const r = round({
    me: { ...ines, may: "decide" },
    comments: [
      comment({ id: "a", text: "@ines maro, look" }),
      comment({ id: "b", text: "else" }),
      comment({ id: "c", to: "b", by: ines }),
    ],
  });
  expect(voicesOf(r)).toEqual(["Mette"]);
  const [a, b] = threadsOf(r.comments, ["s0"]);
  expect([concerns(a as Thread, ines), concerns(b as Thread, ines)]).toEqual([true, true]);
  const olav = { id: "o", name: "Olav", guest: true };
  expect([concerns(a as Thread, olav), speaksTo(comment({ text: "Ines Maro" }), "Ines Maro")]).toEqual([false, false]);
});
