import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { EditServer } from "../../../tests/support/editServer";
import type { Sequence } from "../../core/document/sequence";
import { runCommand } from "../../core/edit/history";
import { freshId } from "../../core/edit/id";
import type { Edit } from "../../core/edit/patches";
import { addStep, updateStep } from "../../core/edit/sequenceCommands";
import type { Desk } from "../port";
import { type ProjectNews, type TogetherPort, workTogether } from "./together";

const film = () => sequenceOf([{}, {}]);
let server: EditServer<Sequence>;
let desk: Desk;
let sent: unknown[] = [];
let hear: (data: string) => void = () => {};
let lost: () => void = () => {};
let people: ProjectNews["people"] = [];
let deaf = false;

beforeEach(() => {
  vi.useFakeTimers();
  server = new EditServer(film());
  vi.stubGlobal("fetch", async (path: string, init?: RequestInit) => {
    const since = /since=(\d+)/.exec(path);
    if (!since) return server.answer(path, init);
    if (server.down) throw new TypeError("failed");
    return Response.json({
      revision: server.revision,
      log: server.log
        .filter((l) => l.revision > Number(since[1]))
        .map(({ revision, id, patches }) => ({ revision, id, patches })),
    });
  });
  desk = smallDesk(film());
  sent = [];
  people = [];
  deaf = false;
  assembly = 1;
  taken = [];
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

let assembly = 1;
let taken: number[] = [];
const news = (): ProjectNews => ({ documents: { prep: 0, seq: server.revision }, assembly, people });
const port: TogetherPort = {
  events(_path, heard, gone) {
    if (deaf) return null;
    hear = heard;
    lost = gone;
    return () => {
      hear = () => {};
    };
  },
  async ask<T>(path: string, body?: unknown): Promise<T> {
    if (body !== undefined) sent.push(body);
    return (path.endsWith("/presence") && body === undefined ? news() : {}) as T;
  },
  async takeRevision(d, number) {
    taken.push(number);
    await new Promise((r) => setTimeout(r, 1000));
    d.set({ assembly: { ...d.state.assembly, number } });
  },
  farewell: (_, body) => void sent.push(body),
};
const theirs = (command: (draft: Sequence) => void): Edit => ({
  ...{ id: freshId(), label: "theirs" },
  patches: runCommand<Sequence>(server.body, command as (d: Sequence) => void).patches,
});
const later = (ms: number) => vi.advanceTimersByTimeAsync(ms);
const titles = () => desk.body().stepOrder.map((s) => desk.body().steps[s]?.title);

test("what another does appears here without anything being sent, and own undo still takes back the own", async () => {
  const end = workTogether(desk, port);
  desk.edit("Mine", updateStep("s0", { title: "mine" }));
  await later(100);
  server.apply([theirs(updateStep("s1", { title: "theirs" }))]);
  hear(JSON.stringify(news()));
  await vi.waitFor(() => expect(titles()).toEqual(["mine", "theirs"]));
  expect(desk.documents.revisionOf("seq")).toBe(2);
  desk.undo();
  await later(100);
  expect(titles()[1]).toBe("theirs");
  expect(server.body.steps.s0?.title).toBe(film().steps.s0?.title);
  end();
});

test("what another does while an edit of one's own is on its way is not missed, though the answer does not tell it", async () => {
  const end = workTogether(desk, port);
  let go = () => {};
  const held = new Promise<void>((r) => {
    go = r;
  });
  const real = fetch;
  vi.stubGlobal("fetch", async (path: string, init?: RequestInit) => {
    const response = await real(path, init);
    if (path.endsWith("/edits")) await held;
    return response;
  });
  desk.edit("Mine", updateStep("s0", { title: "mine" }));
  await later(100);
  expect(server.revision).toBe(1);
  server.apply([theirs(updateStep("s1", { title: "theirs" }))]);
  hear(JSON.stringify(news()));
  await later(10);
  go();
  await vi.waitFor(() => expect(titles()).toEqual(["mine", "theirs"]));
  end();
});

test("what is not sent yet is laid over what came in; only what meets is kept twice", async () => {
  const end = workTogether(desk, port);
  server.down = true;
  desk.edit("Mine", updateStep("s0", { title: "mine" }));
  await later(100);
  server.down = false;
  server.apply([theirs(addStep("s9", "New", "s1"))]);
  hear(JSON.stringify(news()));
  await vi.waitFor(() => expect(titles()).toHaveLength(3));
  expect(titles()).toEqual(["mine", "Step 2", "New"].map((t, i) => (i === 1 ? (film().steps.s1?.title as string) : t)));
  await later(10_000);
  expect(server.body.steps.s0?.title).toBe("mine");
  expect(server.documents).toEqual([]);
  end();
});

test("another revision of the CAD file that somebody puts in place comes onto the desk, once", async () => {
  const end = workTogether(desk, port);
  hear(JSON.stringify(news()));
  await later(0);
  expect(taken).toEqual([]);
  assembly = 3;
  hear(JSON.stringify(news()));
  hear(JSON.stringify(news()));
  await later(1500);
  hear(JSON.stringify(news()));
  await later(1500);
  expect(taken).toEqual([3]);
  expect(desk.state.assembly.number).toBe(3);
  end();
});

test("where no events get through it is asked, and a server that is away loses nothing", async () => {
  deaf = true;
  const end = workTogether(desk, port);
  server.apply([theirs(updateStep("s1", { title: "theirs" }))]);
  server.down = true;
  await later(1600);
  expect(titles()[1]).not.toBe("theirs");
  server.down = false;
  await later(1600);
  expect(titles()[1]).toBe("theirs");
  end();
});

test("who is where is known; oneself is not another, and a closed page says so", async () => {
  const end = workTogether(desk, port);
  const own = sent[0] as { tab: string; step: string };
  expect(own).toMatchObject({ sequence: "seq", step: "s0" });
  people = [
    { tab: own.tab, name: "Ines", sequence: "seq", step: "s0" },
    { tab: "other", name: "Jun", sequence: "seq", step: "s1" },
  ];
  hear(JSON.stringify(news()));
  expect(desk.state.others.map((o) => o.name)).toEqual(["Jun"]);
  const before = sent.length;
  desk.seek(desk.program.steps.start[1] as number);
  await later(800);
  expect(sent.slice(before)).toMatchObject([{ step: "s1" }]);
  // It is said again now and then, so that one who sits and thinks is not taken for gone.
  await later(9000);
  expect(sent.length).toBeGreaterThan(before + 2);
  lost();
  end();
  expect(sent.at(-1)).toMatchObject({ tab: own.tab, leaves: true });
  const after = sent.length;
  await later(20_000);
  expect(sent.length).toBe(after);
});
