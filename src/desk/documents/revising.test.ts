import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import type { Desk } from "../port";
import { connectRevisions, takeRevision } from "./revising";

let desk: Desk;
let asked: string[] = [];
beforeEach(() => {
  vi.useFakeTimers();
  asked = [];
  vi.stubGlobal("fetch", async (path: string, init?: RequestInit) => {
    asked.push(`${init?.method ?? "GET"} ${path}`);
    // Nothing to load: what is looked at here is when it is asked for.
    return Response.json({ revision: null, number: 9 });
  });
  desk = smallDesk(sequenceOf([{}]));
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

test("another's revision waits for a dialog to be closed, and comes no longer once the desk is left", async () => {
  desk.set({ dialog: "revision" });
  let ended = false;
  const taken = takeRevision(desk, 2, () => ended);
  await vi.advanceTimersByTimeAsync(2000);
  expect(asked).toEqual([]);
  desk.set({ dialog: null });
  await vi.advanceTimersByTimeAsync(300);
  await taken;
  expect(asked).toHaveLength(1);
  desk.set({ dialog: "revision" });
  const left = takeRevision(desk, 3, () => ended);
  ended = true;
  await vi.advanceTimersByTimeAsync(300);
  await left;
  expect(asked).toHaveLength(1);
});

test("undo of one's own revision does not take back what somebody else put in place since", async () => {
  connectRevisions(desk);
  await takeRevision(desk, 2);
  asked = [];
  await desk.onOutside?.({ to: 1 });
  expect(asked).toEqual([]);
  expect(desk.state.notice?.text).toMatch(/^Somebody else put revision 1 of the CAD file in place since. It stays/);
  // One that is one's own is taken back as before.
  desk.set({ assembly: { ...desk.state.assembly, number: 5 } });
  await desk.onOutside?.({ to: 1 });
  expect(asked[0]).toMatch(/^POST .*\/revisions$/);
});
