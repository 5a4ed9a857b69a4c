import { beforeEach, expect, test, vi } from "vitest";
import { key, sequenceOf } from "../../../tests/support/assembly";
import { EditServer } from "../../../tests/support/editServer";
import type { Sequence } from "../../core/document/sequence";
import { freshId } from "../../core/edit/id";
import type { Edit } from "../../core/edit/patches";
import { ApiError } from "../api";
import type { Send } from "./exchange";
import { MemoryOutbox } from "./outbox";
import { recover } from "./recover";
import { Saver } from "./saver";

const start = () => sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }, {}]);
let server: EditServer<Sequence>;
let outbox: MemoryOutbox;
let cut = Number.POSITIVE_INFINITY;
beforeEach(() => {
  server = new EditServer(start());
  outbox = new MemoryOutbox();
  cut = Number.POSITIVE_INFINITY;
});
const send: Send = async (document, base, edits) => {
  if (cut-- <= 0) throw new ApiError(0, "The server cannot be reached.", null);
  const r = await server.answer(`/${document}/edits`, { body: JSON.stringify({ base, edits }) });
  const body = await r.json();
  if (!r.ok) throw new ApiError(r.status, body.error, body);
  return body;
};
const titled = (title: string, step = "s0"): Edit => ({
  id: freshId(),
  label: title,
  patches: [{ op: "replace", path: ["steps", step, "title"], value: title }],
});
const keep = (edits: Edit[], base = 0, session = "old") =>
  outbox.put(edits.map((edit, order) => ({ id: edit.id, document: "seq", base, order, session, edit })));
const again = (living: string[] = []) =>
  recover({
    project: "p",
    documents: [{ id: "seq", name: "Test" }],
    outbox,
    send,
    living: async () => new Set(living),
    patienceMs: 200,
  });

test("three thousand edits made offline are all saved, in slices", async () => {
  await keep(Array.from({ length: 3000 }, (_, i) => titled(`t${i}`)));
  expect(await again()).toEqual({ sent: 3000, asides: [] });
  expect([server.body.steps.s0?.title, server.log.length, outbox.edits.size]).toEqual(["t2999", 3000, 0]);
  expect(server.requests).toBeGreaterThan(10);
});

test("large edits go in slices of their size", async () => {
  await keep(
    Array.from({ length: 12 }, (_, i) => ({
      ...titled(`t${i}`),
      patches: [{ op: "replace" as const, path: ["name"], value: String(i).padEnd(900_000, "x") }],
    })),
  );
  expect((await again()).sent).toBe(12);
  expect(server.requests).toBeGreaterThan(5);
});

test("when the network fails in between, what was not acknowledged stays and goes the next time", async () => {
  await keep(Array.from({ length: 900 }, (_, i) => titled(`t${i}`)));
  cut = 2;
  await expect(again()).rejects.toMatchObject({ status: 0 });
  expect(outbox.edits.size).toBe(500);
  cut = Number.POSITIVE_INFINITY;
  expect((await again()).sent).toBe(500);
  expect([server.body.steps.s0?.title, outbox.edits.size]).toEqual(["t899", 0]);
});

test("what meets others' edits is set aside and not deleted; what does not is laid over them", async () => {
  server.apply([titled("theirs", "s1")]);
  await keep([titled("mine")]);
  await keep([titled("mine too", "s1")], 0, "another page");
  const out = await again();
  expect([out.sent, server.body.steps.s0?.title, server.body.steps.s1?.title]).toEqual([1, "mine", "theirs"]);
  expect(out.asides).toMatchObject([{ reason: "conflict", edits: [{ label: "mine too" }] }]);
  expect([...outbox.aside.values()]).toEqual(out.asides);
  expect(outbox.edits.size).toBe(0);
});

test("one that is refused is set aside, the others are saved, and it does not come back", async () => {
  server.refused.add("bad");
  await keep([titled("one"), titled("bad"), titled("two")]);
  const out = await again();
  expect([out.sent, server.body.steps.s0?.title]).toEqual([2, "two"]);
  expect(out.asides).toMatchObject([{ reason: "refused", message: "It is not valid.", edits: [{ label: "bad" }] }]);
  expect(await again()).toEqual({ sent: 0, asides: [] });
});

test("where the answer does not say which one it is, smaller batches find out", async () => {
  server.most = 1;
  await keep(Array.from({ length: 9 }, (_, i) => titled(`t${i}`)));
  expect((await again()).sent).toBe(9);
});

test("edits of a page that is open are left to it; one that is just closing is waited for", async () => {
  await keep([titled("mine")], 0, "open");
  expect(await again(["open"])).toEqual({ sent: 0, asides: [] });
  expect(outbox.edits.size).toBe(1);
  let asked = 0;
  const closing = async () => new Set(++asked < 3 ? ["open"] : []);
  expect(
    await recover({ project: "p", documents: [{ id: "seq", name: "Test" }], outbox, send, living: closing }),
  ).toEqual({ sent: 1, asides: [] });
});

test("a page that died after one of two edits of the same was confirmed: the other is its own, and no conflict", async () => {
  const one = titled("one");
  const two = titled("two");
  const saver = new Saver(
    { onStatus: () => {}, onRebased: () => {}, onClash: async () => false, onAside: () => {} },
    {
      project: "p",
      session: "old",
      outbox,
      nameOf: () => "x",
      auto: false,
      send: (d, base, edits) => send(d, base, edits.slice(0, 1)),
    },
  );
  // What is not looked after is not taken.
  saver.add("gone", titled("nobody's"));
  saver.track("seq", 0, start());
  saver.add("seq", one);
  saver.add("seq", two);
  await vi.waitFor(() => expect(outbox.edits.size).toBe(2));
  await saver.sendOnce("seq");
  expect([...outbox.edits.values()].map((r) => [r.edit.label, r.base])).toEqual([["two", 1]]);
  expect(await again()).toEqual({ sent: 1, asides: [] });
  expect(server.body.steps.s0?.title).toBe("two");
});

test("edits of a document that is gone are kept aside", async () => {
  await keep([titled("mine")]);
  const gone: Send = async () => {
    throw new ApiError(404, "This document does not exist, or you may not see it.", null);
  };
  const out = await recover({
    project: "p",
    documents: [{ id: "seq", name: "Test" }],
    outbox,
    send: gone,
    living: async () => new Set(),
  });
  expect(out.asides).toMatchObject([{ reason: "gone", edits: [{ label: "mine" }] }]);
});

test("storage that fails: the page says so, tries again, and forgets nothing that only it has", async () => {
  const seen: number[] = [];
  let full = true;
  const put = outbox.put.bind(outbox);
  outbox.put = async (rows) => {
    if (full) throw new DOMException("full", "QuotaExceededError");
    await put(rows);
  };
  const saver = new Saver(
    { onStatus: (s) => seen.push(s.onlyHere), onRebased: () => {}, onClash: async () => false, onAside: () => {} },
    { project: "p", session: "s", outbox, nameOf: () => "x", auto: false, send },
  );
  saver.track("seq", 0, start());
  cut = 0;
  saver.add("seq", titled("mine"));
  expect(await saver.sendOnce("seq")).toBe(false);
  expect(saver.status).toEqual({ state: "offline", waiting: 1, onlyHere: 1 });
  expect(saver.waiting()).toMatchObject([{ document: "seq", edits: [{ label: "mine" }] }]);
  full = false;
  await saver.sendOnce("seq");
  await vi.waitFor(() => expect(saver.status.onlyHere).toBe(0));
  cut = Number.POSITIVE_INFINITY;
  expect(await saver.sendOnce("seq")).toBe(true);
  // Nothing is left to send, here or of a document that is not kept.
  expect(await saver.sendOnce("seq")).toBe(false);
  expect(await saver.sendOnce("another")).toBe(false);
  expect(saver.status).toEqual({ state: "saved", waiting: 0, onlyHere: 0 });
  expect(seen).toContain(1);
});
