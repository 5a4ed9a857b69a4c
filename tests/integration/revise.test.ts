import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { indexAssembly } from "../../src/core/assembly/assembly";
import { IMPORT_DEFAULTS } from "../../src/core/assembly/importSettings";
import { decodePackage, encodePackage } from "../../src/core/assembly/package";
import { emptyPreparation, type Preparation } from "../../src/core/document/preparation";
import type { Sequence } from "../../src/core/document/sequence";
import type { Triple } from "../../src/core/math/triple";
import { compile } from "../../src/core/program/compile";
import { pose } from "../../src/core/program/pose";
import { createPose } from "../../src/core/program/sampling";
import { withIdentities } from "../../src/core/revision/identity";
import { writeProjectFile } from "../../src/formats/out/project/file";
import type { Actor } from "../../src/server/access/actor";
import type { Database } from "../../src/server/database/pool";
import { newId } from "../../src/server/ids";
import { applyRevision, goBack, revisionReport } from "../../src/server/imports/revise";
import { getAsset, putAsset } from "../../src/server/repositories/assets";
import { listDocuments } from "../../src/server/repositories/documentStore";
import { type Claim, claimJob, createJob, endJob } from "../../src/server/repositories/jobs";
import { currentRevision, listRevisions } from "../../src/server/repositories/projects";
import { joint, key, seconds, sequenceOf } from "../support/assembly";
import { type BoxPart, boxPackage } from "../support/boxes";
import { peopledDatabase } from "../support/database";
import { storeProject } from "../support/project";

let db: Awaited<ReturnType<typeof peopledDatabase>>;
let pool: Database;
let actor: Actor;
beforeAll(async () => {
  db = await peopledDatabase();
  ({ pool, actor } = db);
});
afterAll(() => db?.end());

const screw = (at: Triple): BoxPart => ({ name: "Screw", at, size: [4, 4, 12] });
const machine = (): BoxPart[] => [
  { name: "Plate", at: [0, 0, 0], size: [100, 60, 8] },
  {
    name: "Cover",
    at: [0, 0, 20],
    children: [
      { name: "Shell", at: [0, 0, 0], size: [80, 40, 20] },
      { name: "Seal", at: [0, 0, -11], size: [82, 42, 2] },
    ],
  },
  screw([-40, -20, 10]),
  screw([40, -20, 10]),
  screw([-40, 20, 10]),
];

/** Work that names parts in every way a document can. */
function preparation(): Preparation {
  const p = emptyPreparation();
  p.nodes["Machine/Plate"] = { name: "Ground plate", hidden: false, pivot: { at: [1, 2, 3], in: "part" } };
  p.groups.g = { id: "g", name: "Fasteners", members: ["Machine/Screw", "Machine/Screw#2", "Machine/Screw#3"] };
  p.joints.j = joint("j", { type: "node", key: "Machine/Cover" }, { name: "Lift", kind: "slide" });
  return p;
}
const sequence = (): Sequence =>
  sequenceOf([
    {
      "Machine/Screw#2": [key("a", 1, 0.5, { "slide.z": 30 })],
      "Machine/Cover": [key("b", 1.5, 0.5, { "joint.j": 25 })],
    },
    { "Machine/Cover/Seal": [key("c", 1, 0.5, { "slide.x": 12 })] },
  ]);

async function project(parts = machine()): Promise<string> {
  return storeProject(
    pool,
    actor,
    writeProjectFile({
      name: "Machine",
      source: { name: "machine.step", bytes: new TextEncoder().encode("ISO-10303-21; first") },
      package: encodePackage(boxPackage("Machine", parts)),
      settings: IMPORT_DEFAULTS,
      identities: {},
      documents: [
        { kind: "preparation", body: preparation() },
        { kind: "sequence", body: sequence() },
      ],
    }),
  );
}

/** A job that has read a changed file, as a reader process would leave it. */
async function readAs(id: string, parts: BoxPart[]): Promise<string> {
  const packageSha256 = await putAsset(pool, actor, encodePackage(boxPackage("Machine", parts)));
  const sourceSha256 = await putAsset(pool, actor, new TextEncoder().encode(`changed ${newId()}`));
  const job = await createJob(pool, actor, id, "import", {
    fileName: "machine-b.step",
    sourceSha256,
    settings: IMPORT_DEFAULTS,
    purpose: "revision",
  });
  const claimed = await claimJob(pool);
  expect(claimed?.job.id).toBe(job);
  await endJob(pool, claimed as Claim, "done", { result: { packageSha256, warnings: [] } });
  return job;
}

/** World places of every identity at a time, as the desk would show them. */
async function placesOf(id: string, at = 0): Promise<Map<string, number[]>> {
  const revision = await currentRevision(pool, actor, id);
  if (!revision) throw new Error("no revision");
  const pkg = decodePackage((await getAsset(pool, actor, revision.packageSha256)) as Uint8Array);
  const index = indexAssembly(withIdentities(pkg.assembly, revision.identities));
  const documents = await listDocuments(pool, actor, id);
  const program = compile(
    index,
    documents.find((d) => d.kind === "preparation")?.body as Preparation,
    documents.find((d) => d.kind === "sequence")?.body as Sequence,
  );
  const out = createPose(program);
  pose(program, seconds(at), out);
  return new Map(index.assembly.nodes.map((n, i) => [n.key, Array.from(out.world.subarray(16 * i + 12, 16 * i + 15))]));
}
const documentsOf = async (id: string) =>
  JSON.stringify((await listDocuments(pool, actor, id)).map((d) => [d.kind, d.revision, d.body]));

const FIXTURES: [string, () => BoxPart[]][] = [
  [
    "all names changed",
    () =>
      machine().map((p, i) => ({
        ...p,
        name: `P-${i}`,
        ...(p.children ? { children: p.children.map((c, k) => ({ ...c, name: `C-${k}` })) } : {}),
      })),
  ],
  [
    "a sibling inserted before repeated screws",
    () => [...machine().slice(0, 2), screw([0, 25, 10]), ...machine().slice(2)],
  ],
  [
    "two identical parts swapped",
    () => [machine()[0], machine()[1], machine()[4], machine()[3], machine()[2]] as BoxPart[],
  ],
  [
    "one part split in two",
    () =>
      [
        { name: "Plate left", at: [-25, 0, 0], size: [50, 60, 8] },
        { name: "Plate right", at: [25, 0, 0], size: [50, 60, 8] },
        ...machine().slice(1),
      ] as BoxPart[],
  ],
];

describe.each(FIXTURES)("a revision: %s", (_, changed) => {
  test("no step moves to another occurrence, documents stay as they are, and going back gives everything back", async () => {
    const id = await project();
    const before = await documentsOf(id);
    const places = await placesOf(id);
    const moved = await placesOf(id, 1.2);
    const job = await readAs(id, changed());
    const report = await revisionReport(pool, actor, id, job, []);
    expect(report.base).toBe(1);
    // Nothing has changed yet.
    expect((await currentRevision(pool, actor, id))?.number).toBe(1);

    expect(await applyRevision(pool, actor, id, job, 1, [])).toBe(2);
    expect(await documentsOf(id)).toBe(before);
    const after = await placesOf(id);
    const gone = new Set(report.lines.flatMap((l) => (l.changes.includes("gone") ? (l.old?.key ?? "") : [])));
    for (const [identity, at] of places) {
      if (gone.has(identity)) expect(after.has(identity)).toBe(false);
      // None of the fixtures moves a part, so what a document names stands where it stood.
      else if (!identity.endsWith("Plate")) expect(after.get(identity)).toEqual(at);
    }
    for (const name of ["Machine/Screw#2", "Machine/Cover/Seal"])
      if (!gone.has(name)) expect((await placesOf(id, 1.2)).get(name)).toEqual(moved.get(name));

    expect(await goBack(pool, actor, id, 1, 2)).toBe(3);
    expect((await currentRevision(pool, actor, id))?.identities).toEqual({});
    expect(await documentsOf(id)).toBe(before);
    expect(await placesOf(id, 1.2)).toEqual(moved);
    expect((await listRevisions(pool, actor, id)).map((r) => r.number)).toEqual([3, 2, 1]);
  });
});

describe("applying a revision", () => {
  test("what is gone is reported with its steps, kept, and connects again when it returns", async () => {
    const id = await project();
    const moved = (await placesOf(id, 1.2)).get("Machine/Screw#2");
    expect(moved).not.toEqual([40, -20, 10]);
    const without = machine().filter((_, i) => i !== 3);
    const job = await readAs(id, without);
    const report = await revisionReport(pool, actor, id, job, []);
    const line = report.lines.find((l) => l.old?.key === "Machine/Screw#2");
    expect(line?.changes).toEqual(["gone"]);
    expect(line?.steps.map((s) => [s.step, s.arrivals])).toEqual([["s0", 1]]);
    await applyRevision(pool, actor, id, job, 1, []);
    expect((await placesOf(id)).has("Machine/Screw#2")).toBe(false);

    const back = await readAs(id, machine());
    const again = await revisionReport(pool, actor, id, back, []);
    expect(again.lines.find((l) => l.old?.key === "Machine/Screw#2")).toMatchObject({
      wasGone: true,
      changes: ["same"],
    });
    await applyRevision(pool, actor, id, back, 2, []);
    expect((await placesOf(id, 1.2)).get("Machine/Screw#2")).toEqual(moved);
  });

  test("a match put right by hand holds, and the report says so", async () => {
    const id = await project();
    const renamed = machine();
    (renamed[0] as BoxPart).name = "Bed";
    (renamed[0] as BoxPart).size = [140, 90, 3];
    const job = await readAs(id, renamed);
    const corrections = [{ old: "Machine/Plate", next: "Machine/Bed" }];
    const line = (await revisionReport(pool, actor, id, job, corrections)).lines.find(
      (l) => l.old?.key === "Machine/Plate",
    );
    expect(line).toMatchObject({ reason: "by-hand", confidence: 1, next: { key: "Machine/Bed" } });
    expect(line?.changes).toEqual(expect.arrayContaining(["renamed", "reshaped"]));
    // The other way: told that it is gone, it is, and the new part is new.
    const none = await revisionReport(pool, actor, id, job, [{ old: "Machine/Plate", next: null }]);
    expect(none.lines.find((l) => l.old?.key === "Machine/Plate")?.changes).toEqual(["gone"]);
    expect(none.lines.find((l) => l.next?.key === "Machine/Bed")?.changes).toEqual(["new"]);
    await applyRevision(pool, actor, id, job, 1, corrections);
    expect((await currentRevision(pool, actor, id))?.identities).toEqual({ "Machine/Bed": "Machine/Plate" });
  });

  test("who was slower is told, and another workspace sees nothing", async () => {
    const id = await project();
    const job = await readAs(id, machine());
    await applyRevision(pool, actor, id, job, 1, []);
    await expect(applyRevision(pool, actor, id, job, 1, [])).rejects.toThrow(
      /Someone else brought in another revision/,
    );
    await expect(goBack(pool, actor, id, 9, 2)).rejects.toThrow(/revision/);
    await expect(revisionReport(pool, actor, id, job, [{ old: "nothing", next: null }])).rejects.toThrow(
      /in neither file/,
    );
    await expect(revisionReport(pool, { ...actor, workspaceId: newId() }, id, job, [])).rejects.toThrow();
  });
});
