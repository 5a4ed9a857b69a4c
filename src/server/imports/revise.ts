import { indexAssembly } from "../../core/assembly/assembly";
import { decodePackage } from "../../core/assembly/package";
import type { Preparation } from "../../core/document/preparation";
import type { Sequence } from "../../core/document/sequence";
import { invertedAffine, multiplied } from "../../core/math/mat4";
import { nth } from "../../core/math/packed";
import { identitiesOf, namedIdentities, stepsOf, withIdentities } from "../../core/revision/identity";
import { compareRevisions, matchRevisions } from "../../core/revision/match";
import type { Match } from "../../core/revision/matching";
import type { ReportSide, RevisionReport } from "../../core/revision/report";
import { type NodeSignature, signatures } from "../../core/revision/signature";
import type { Actor } from "../access/actor";
import type { Database } from "../database/pool";
import { HttpError, notFound } from "../http/route";
import { getAsset } from "../repositories/assets";
import { listDocuments } from "../repositories/documentStore";
import { getJob } from "../repositories/jobs";
import { addRevision, currentRevision, listRevisions, type Revision } from "../repositories/projects";

interface Side {
  list: NodeSignature[];
  homes: Float64Array;
}

/** How many revisions back a part that is gone is looked for. */
const LOOK_BACK = 6;

interface Candidate {
  base: Revision;
  job: {
    fileName: string;
    sourceSha256: string;
    settings: Revision["settings"];
    packageSha256: string;
    warnings: string[];
  };
  old: Side;
  /** From here on the old list holds parts that were already gone. */
  present: number;
  next: Side;
  assembly: ReturnType<typeof decodePackage>["assembly"];
  preparation: Preparation;
  sequences: { id: string; body: Sequence }[];
  oldIndex: ReturnType<typeof indexAssembly>;
}

async function sideOf(
  pool: Database,
  actor: Actor,
  revision: { packageSha256: string; identities: Revision["identities"] },
): Promise<Side & { index: ReturnType<typeof indexAssembly> }> {
  const bytes = await getAsset(pool, actor, revision.packageSha256);
  if (!bytes) throw notFound("assembly");
  const pkg = decodePackage(bytes);
  const index = indexAssembly(withIdentities(pkg.assembly, revision.identities));
  return { list: signatures(index, pkg), homes: index.homeWorld, index };
}

async function candidate(pool: Database, actor: Actor, projectId: string, jobId: string): Promise<Candidate> {
  const job = await getJob(pool, actor, jobId);
  const base = await currentRevision(pool, actor, projectId);
  if (!job || job.projectId !== projectId || !base) throw notFound("revision");
  const result = job.result as { packageSha256?: string; warnings?: string[] } | null;
  if (job.state !== "done" || job.input.purpose !== "revision" || !result?.packageSha256)
    throw new HttpError(409, "This file has not been read as a revision.");
  const documents = await listDocuments(pool, actor, projectId);
  const preparation = documents.find((d) => d.kind === "preparation")?.body as Preparation;
  const sequences = documents.filter((d) => d.kind === "sequence").map((d) => ({ id: d.id, body: d.body as Sequence }));
  const current = await sideOf(pool, actor, base);
  const next = await sideOf(pool, actor, { packageSha256: result.packageSha256, identities: {} });
  const bytes = await getAsset(pool, actor, result.packageSha256);
  if (!bytes) throw notFound("assembly");

  // Parts that documents still name but the present revision lacks may come back: as they were last seen.
  const wanted = new Set(
    [
      ...namedIdentities(
        preparation,
        sequences.map((s) => s.body),
      ),
    ].filter((k) => !current.index.indexOf.has(k)),
  );
  const list = [...current.list];
  const homes: number[] = Array.from(current.homes);
  for (const earlier of wanted.size > 0 ? (await listRevisions(pool, actor, projectId, LOOK_BACK)).slice(1) : []) {
    if (wanted.size === 0) break;
    const side = await sideOf(pool, actor, earlier);
    for (const s of side.list) {
      if (!wanted.delete(s.key)) continue;
      const owner = side.index.assembly.nodes[s.parent]?.key;
      list.push({
        ...s,
        node: list.length,
        parent: owner === undefined ? -1 : (current.index.indexOf.get(owner) ?? -1),
      });
      homes.push(...side.homes.subarray(16 * s.node, 16 * s.node + 16));
    }
  }
  return {
    base,
    job: {
      fileName: job.input.fileName,
      sourceSha256: job.input.sourceSha256,
      settings: job.input.settings ?? base.settings,
      packageSha256: result.packageSha256,
      warnings: result.warnings ?? [],
    },
    old: { list, homes: Float64Array.from(homes) },
    present: current.list.length,
    next,
    assembly: decodePackage(bytes).assembly,
    preparation,
    sequences,
    oldIndex: current.index,
  };
}

/** The same file read otherwise keeps every part; a new one is matched. */
function matchesOf(c: Candidate): Match[] {
  if (c.job.sourceSha256 === c.base.sourceSha256) {
    const byOwnKey = new Map(c.next.list.map((s, i) => [s.key, i]));
    const own = new Map(Object.entries(c.base.identities).map(([key, identity]) => [identity, key]));
    const found = c.old.list.slice(0, c.present).flatMap((s, i): Match[] => {
      const n = byOwnKey.get(own.get(s.key) ?? s.key);
      return n === undefined ? [] : [{ old: i, next: n, confidence: 1, reason: "name-and-place" }];
    });
    if (found.length === c.present) return found;
  }
  return matchRevisions(c.old.list, c.next.list);
}

/** Corrections made by hand: an old identity and the new file's key it goes with, or null for none. */
export type Corrections = readonly { old: string; next: string | null }[];

function corrected(c: Candidate, matches: readonly Match[], corrections: Corrections): Match[] {
  const oldOf = new Map(c.old.list.map((s, i) => [s.key, i]));
  const nextOf = new Map(c.next.list.map((s, i) => [s.key, i]));
  let out = [...matches];
  for (const correction of corrections) {
    const old = oldOf.get(correction.old);
    const next = correction.next === null ? null : nextOf.get(correction.next);
    if (old === undefined || next === undefined)
      throw new HttpError(400, "A correction names a part that is in neither file.");
    out = out.filter((m) => m.old !== old && m.next !== next);
    if (next !== null) out.push({ old, next, confidence: 1, reason: "by-hand" });
  }
  return out;
}

const side = (list: readonly NodeSignature[], i: number): ReportSide | null => {
  const s = list[i];
  return s ? { key: s.key, name: s.name, owner: list[s.parent]?.name ?? "", kind: s.kind } : null;
};

/** What a file that was read would change: part by part, and which steps that touches. Changes nothing. */
export async function revisionReport(
  pool: Database,
  actor: Actor,
  projectId: string,
  jobId: string,
  corrections: Corrections,
): Promise<RevisionReport> {
  const c = await candidate(pool, actor, projectId, jobId);
  const matches = corrected(c, matchesOf(c), corrections);
  const size = Math.max(1, ...c.old.list.map((s) => s.diagonal));
  // Measured in the owner's frame, so that the parts of a sub-assembly that was shifted are not all listed.
  const nextOfOld = new Map(matches.map((m) => [m.old, m.next]));
  const local = (s: Side, i: number, inOwner: boolean) => {
    const owner = s.list[i]?.parent ?? -1;
    const own = s.homes.subarray(16 * i, 16 * i + 16);
    return inOwner && owner >= 0 ? multiplied(invertedAffine(s.homes, 16 * owner), own) : Array.from(own);
  };
  const moved = (o: number, n: number) => {
    const ownerOld = c.old.list[o]?.parent ?? -1;
    const inOwner = ownerOld >= 0 && nextOfOld.get(ownerOld) === c.next.list[n]?.parent;
    const before = local(c.old, o, inOwner);
    const after = local(c.next, n, inOwner);
    return before.some((v, k) => Math.abs(v - nth(after, k)) > (k >= 12 ? 1e-5 * size : 1e-6));
  };
  const lines = compareRevisions(c.old.list, c.next.list, matches, moved);
  return {
    fileName: c.job.fileName,
    base: c.base.number,
    warnings: c.job.warnings,
    lines: lines.map((l) => ({
      old: side(c.old.list, l.old),
      next: side(c.next.list, l.next),
      wasGone: l.old >= c.present,
      changes: l.changes,
      confidence: l.confidence,
      reason: l.reason,
      movedMm: l.movedMm,
      steps:
        l.old >= 0 && !(l.changes.length === 1 && l.changes[0] === "same")
          ? stepsOf(c.old.list[l.old]?.key ?? "", c.preparation, c.sequences, c.oldIndex)
          : [],
    })),
  };
}

/**
 * Puts a file that was read in place of the present revision. @returns the new number. @throws HttpError 409 when
 * someone was faster.
 */
export async function applyRevision(
  pool: Database,
  actor: Actor,
  projectId: string,
  jobId: string,
  base: number,
  corrections: Corrections,
): Promise<number> {
  const c = await candidate(pool, actor, projectId, jobId);
  const matches = corrected(c, matchesOf(c), corrections);
  const reserved = new Set([
    ...namedIdentities(
      c.preparation,
      c.sequences.map((s) => s.body),
    ),
    ...c.old.list.map((s) => s.key),
  ]);
  const identities = identitiesOf(c.assembly, (old) => c.old.list[old]?.key as string, matches, reserved);
  const { fileName, sourceSha256, settings, packageSha256 } = c.job;
  const number = await addRevision(pool, actor, projectId, base, {
    fileName,
    sourceSha256,
    settings,
    packageSha256,
    identities,
  });
  if (number === null)
    throw new HttpError(409, "Someone else brought in another revision meanwhile. Look at the report again.");
  return number;
}

/** Puts an earlier revision in place again, as a new one. @returns the new number. */
export async function goBack(
  pool: Database,
  actor: Actor,
  projectId: string,
  to: number,
  base: number,
): Promise<number> {
  const earlier = (await listRevisions(pool, actor, projectId, 1000)).find((r) => r.number === to);
  if (!earlier) throw notFound("revision");
  const number = await addRevision(pool, actor, projectId, base, earlier);
  if (number === null) throw new HttpError(409, "Someone else brought in another revision meanwhile.");
  return number;
}
