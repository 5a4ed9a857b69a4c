import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { updateStep } from "../../core/edit/sequenceCommands";
import { ApiError } from "../api";
import { STANDING_MS, type Standing, watchStanding } from "./standing";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

/** A desk whose server gives these answers, the last of them for ever. */
function watched(...answers: (Standing | Error)[]) {
  const desk = smallDesk(sequenceOf([{}]));
  let asked = 0;
  const stop = watchStanding(desk, () => {
    const a = answers[Math.min(asked++, answers.length - 1)] as Standing | Error;
    return a instanceof Error ? Promise.reject(a) : Promise.resolve(a);
  });
  return { desk, stop, asked: () => asked, round: () => vi.advanceTimersByTimeAsync(STANDING_MS) };
}
const animator: Standing = { role: "animator", locked: null };
const reviewer: Standing = { role: "reviewer", locked: "You are a reviewer here." };
const removed = new ApiError(401, "You no longer belong.", { ended: "removed" });
const signedOut = new ApiError(401, "This session was ended.", { ended: "ended" });
const title = (text: string) => updateStep("s0", { title: text });

test("what somebody is changes at the open desk, both ways, and is said", async () => {
  const w = watched(animator, reviewer, animator);
  await w.round();
  expect([w.desk.state.locked, w.desk.state.notice]).toEqual([null, null]);
  await w.round();
  expect(w.desk.state.locked).toBe("You are a reviewer here.");
  expect(w.desk.state.notice).toMatchObject({ tone: "problem", text: expect.stringContaining("was changed") });
  expect(w.desk.edit("title", title("mine"))).toBe(false);
  await w.round();
  expect(w.desk.state.locked).toBeNull();
  expect(w.desk.state.notice).toMatchObject({ tone: "info" });
  expect(w.desk.edit("title", title("mine"))).toBe(true);
  w.stop();
});

test("who was removed is out for good, within ten seconds, and changes nothing from then on", async () => {
  expect(STANDING_MS * 2).toBeLessThan(10_000);
  const w = watched(animator, removed, animator);
  await w.round();
  expect(w.desk.edit("title", title("not saved"))).toBe(true);
  await w.round();
  expect(w.desk.state.out).toBe("You no longer belong.");
  expect(w.desk.edit("title", title("later"))).toBe(false);
  await w.round();
  await w.round();
  expect([w.asked(), w.desk.state.out]).toEqual([2, "You no longer belong."]);
  // What was not saved is still there to be put in a file.
  expect(w.desk.documents.waiting().flatMap((d) => d.edits.map((e) => e.label))).toEqual(["title"]);
});

test("who has to sign in again goes on once they have", async () => {
  const w = watched(signedOut, signedOut, animator);
  await w.round();
  expect(w.desk.state.out).toBe("This session was ended.");
  await w.round();
  await w.round();
  expect(w.desk.state.out).toBeNull();
  expect(w.desk.edit("title", title("again"))).toBe(true);
  w.stop();
});

test("a project that one may not see any longer is shut; a server that is away shuts nothing", async () => {
  const gone = watched(new ApiError(404, "This project does not exist.", null));
  await gone.round();
  expect(gone.desk.state.out).toMatch(/no longer see this project/);
  for (const error of [new ApiError(0, "away", null), new ApiError(503, "away", null), new Error("odd")]) {
    const w = watched(error);
    await w.round();
    expect(w.desk.state.out).toBeNull();
    w.stop();
  }
});
