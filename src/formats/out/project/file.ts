import { createHash } from "node:crypto";
import { strFromU8, strToU8, zipSync } from "fflate";
import { z } from "zod";
import { indexAssembly } from "../../../core/assembly/assembly";
import { checkPackage } from "../../../core/assembly/checkPackage";
import { IMPORT_DEFAULTS, type ImportSettings, ImportSettingsSchema } from "../../../core/assembly/importSettings";
import { type AssemblyPackage, decodePackage, PackageError } from "../../../core/assembly/package";
import { type DocumentBody, DocumentError, type DocumentKind, parseDocument } from "../../../core/document/parse";
import type { Preparation } from "../../../core/document/preparation";
import type { Sequence } from "../../../core/document/sequence";
import type { Sound } from "../../../core/document/sounds";
import { type KeptRound, parseKeptRound } from "../../../core/review/kept";
import { type Identities, withIdentities } from "../../../core/revision/identity";
import { soundKind } from "../../../core/sound/kind";
import { cleanText } from "../../../core/text/name";
import { readDirectory, unpackEntry, ZipError } from "../../archive/zip";

/** A whole project, as in a project file. See docs/project-file.md. */
export interface ProjectFile {
  name: string;
  source: { name: string; bytes: Uint8Array };
  /** Package bytes (GLB), as stored. */
  package: Uint8Array;
  /** How the source was read, and what the documents call its nodes. */
  settings: ImportSettings;
  identities: Identities;
  documents: { kind: DocumentKind; body: DocumentBody }[];
  /** Sound files that its sequences hold; left out where there are none. */
  sounds?: { asset: string; bytes: Uint8Array }[];
  /** Rounds of review with what was said in them, oldest first; left out where they were not asked for. */
  rounds?: KeptRound[];
  /** Packages that rounds show and that is not the project's own. */
  packages?: { sha256: string; bytes: Uint8Array }[];
}

/**
 * The newest version that is read. A file is written as the oldest that has what it holds: 3 with rounds, 2 with sounds,
 * else 1.
 */
export const PROJECT_FILE_VERSION = 3;
export const PROJECT_FILE_EXTENSION = ".plextan.zip";
/** Most bytes a project file may unpack to. */
export const UNPACKED_MAX_BYTES = 768 * 1024 * 1024;
const ENTRIES_MAX = 500;

/** A project file that cannot be opened; the message is for the user. */
export class ProjectFileError extends Error {
  override readonly name = "ProjectFileError";
}

const ManifestSchema = z.object({
  format: z.literal("plextan-project"),
  version: z.int().min(1),
  name: z.string().min(1).max(200),
  source: z.object({ path: z.string(), name: z.string().min(1).max(255) }),
  package: z.object({ path: z.string() }),
  settings: ImportSettingsSchema.default(IMPORT_DEFAULTS),
  /** Where documents call nodes otherwise than their own keys. */
  identities: z.record(z.string(), z.string().min(1)).default({}),
  documents: z.array(z.object({ kind: z.enum(["preparation", "sequence"]), path: z.string() })).max(200),
  sounds: z.array(z.object({ sha256: z.string().regex(/^[0-9a-f]{64}$/), path: z.string() })).default([]),
  rounds: z
    .array(z.object({ path: z.string() }))
    .max(200)
    .default([]),
  packages: z.array(z.object({ sha256: z.string().regex(/^[0-9a-f]{64}$/), path: z.string() })).default([]),
});

/** Fixed time stamp, so that the same project gives the same bytes. */
const STAMP = new Date("2026-01-01T00:00:00Z");

/** Writes a project file. */
export function writeProjectFile(project: ProjectFile): Uint8Array {
  const sourcePath = `source/${project.source.name.replace(/[^\p{L}\p{N}._ -]/gu, "_").replace(/^\.+/, "_") || "source"}`;
  const documents = project.documents.map((d, i) => ({
    kind: d.kind,
    path: `documents/${String(i + 1).padStart(2, "0")}-${d.kind}.json`,
  }));
  const sounds = (project.sounds ?? []).map(({ asset, bytes }) => ({
    sha256: asset,
    path: `sounds/${asset.slice(0, 20)}${soundKind(bytes.subarray(0, 16))?.ending ?? ""}`,
  }));
  const rounds = (project.rounds ?? []).map((_, i) => ({ path: `rounds/${String(i + 1).padStart(3, "0")}.json` }));
  const packages = (project.packages ?? []).map(({ sha256 }) => ({
    sha256,
    path: `rounds/${sha256.slice(0, 20)}.glb`,
  }));
  const manifest = {
    format: "plextan-project",
    version: rounds.length > 0 ? 3 : sounds.length > 0 ? 2 : 1,
    name: project.name,
    source: { path: sourcePath, name: project.source.name },
    package: { path: "assembly.glb" },
    settings: project.settings,
    ...(Object.keys(project.identities).length > 0 ? { identities: project.identities } : {}),
    documents,
    ...(sounds.length > 0 ? { sounds } : {}),
    ...(rounds.length > 0 ? { rounds } : {}),
    ...(packages.length > 0 ? { packages } : {}),
  };
  const files: Record<string, Uint8Array> = { "manifest.json": strToU8(JSON.stringify(manifest, null, 2)) };
  documents.forEach((d, i) => {
    files[d.path] = strToU8(JSON.stringify(project.documents[i]?.body, null, 2));
  });
  sounds.forEach((s, i) => {
    files[s.path] = project.sounds?.[i]?.bytes ?? new Uint8Array();
  });
  rounds.forEach((r, i) => {
    files[r.path] = strToU8(JSON.stringify(project.rounds?.[i], null, 2));
  });
  packages.forEach((p, i) => {
    files[p.path] = project.packages?.[i]?.bytes ?? new Uint8Array();
  });
  files["assembly.glb"] = project.package;
  files[sourcePath] = project.source.bytes;
  return sealed(zipSync(files, { level: 6, mtime: STAMP }));
}

/**
 * The archive's comment is the hash of all that lies before it, so that not one bit can change unnoticed, in headers
 * either. An archive without a comment (packed again by hand) is taken by its check sums.
 */
const SEAL = "plextan sha256 ";
const SEAL_BYTES = SEAL.length + 64;

function sealed(zip: Uint8Array): Uint8Array {
  const out = new Uint8Array(zip.length + SEAL_BYTES);
  out.set(zip);
  new DataView(out.buffer).setUint16(zip.length - 2, SEAL_BYTES, true);
  out.set(strToU8(SEAL + sealOf(out.subarray(0, zip.length))), zip.length);
  return out;
}

const sealOf = (bytes: Uint8Array) => createHash("sha256").update(bytes).digest("hex");

/**
 * Reads and checks a project file: no path that leaves the archive, no more than {@link UNPACKED_MAX_BYTES}, a known
 * version, valid documents. Nothing is unpacked before its declared size was counted, and nothing unpacks beyond it.
 * @throws ProjectFileError
 */
export function readProjectFile(bytes: Uint8Array): ProjectFile & { decoded: AssemblyPackage } {
  if (bytes.length === 0) throw new ProjectFileError("The project file is empty (0 bytes).");
  if (!(bytes[0] === 0x50 && bytes[1] === 0x4b))
    throw new ProjectFileError("This is not a project file: it is not a zip archive.");
  const files = unpackAll(bytes);
  const get = (name: string): Uint8Array => {
    const file = files.get(name);
    if (!file) throw new ProjectFileError(`The project file lacks "${name.slice(0, 80)}".`);
    return file;
  };
  const manifest = readManifest(get("manifest.json"));
  const packageBytes = get(manifest.package.path);
  const decoded = openPackage(packageBytes, manifest.identities);
  const documents = manifest.documents.map((d) => {
    try {
      return {
        kind: d.kind,
        body: parseDocument(d.kind as "sequence", parseJson(get(d.path), d.path)) as DocumentBody,
      };
    } catch (error) {
      if (error instanceof DocumentError) throw new ProjectFileError(error.message);
      throw error;
    }
  });
  const count = (kind: DocumentKind) => documents.filter((d) => d.kind === kind).length;
  if (count("preparation") === 0) throw new ProjectFileError("The project file holds no preparation.");
  if (count("preparation") > 1)
    throw new ProjectFileError(`The project file holds ${count("preparation")} preparations; there must be one.`);
  if (count("sequence") === 0)
    throw new ProjectFileError("The project file holds no sequence; there must be at least one.");
  const said = readRounds(manifest, get, documents, sealOf(packageBytes));
  return {
    name: cleanText(manifest.name) || "Project",
    source: { name: manifest.source.name, bytes: get(manifest.source.path) },
    package: packageBytes,
    settings: manifest.settings,
    identities: manifest.identities,
    documents,
    ...readSounds(manifest.sounds, get, [...documents, ...shownIn(said.rounds ?? [])]),
    ...said,
    decoded,
  };
}

/** What rounds show, as documents. */
export const shownIn = (rounds: readonly KeptRound[]): { kind: DocumentKind; body: DocumentBody }[] =>
  rounds.map((r) => ({ kind: "sequence", body: r.sequence }));

/** Decodes and checks a package. @throws ProjectFileError */
function openPackage(bytes: Uint8Array, identities: Identities): AssemblyPackage {
  try {
    // Copied so that the arrays inside are aligned whatever lies before them in the archive.
    const read = decodePackage(new Uint8Array(bytes));
    checkPackage(read);
    const decoded = { ...read, assembly: withIdentities(read.assembly, identities) };
    indexAssembly(decoded.assembly);
    return decoded;
  } catch (error) {
    throw new ProjectFileError(
      error instanceof PackageError
        ? `The project's assembly cannot be read: ${error.message}`
        : "The project's assembly cannot be read.",
    );
  }
}

/** The rounds, each with a package that is there and a sequence that was sent. */
function readRounds(
  manifest: Pick<z.infer<typeof ManifestSchema>, "rounds" | "packages">,
  get: (path: string) => Uint8Array,
  documents: ProjectFile["documents"],
  own: string,
): Pick<ProjectFile, "rounds" | "packages"> {
  const packages = manifest.packages.map(({ sha256, path }) => {
    const bytes = get(path);
    if (sealOf(bytes) !== sha256)
      throw new ProjectFileError(`The project file is damaged: "${path.slice(0, 80)}" is not the assembly it was.`);
    openPackage(bytes, {});
    return { sha256, bytes };
  });
  const there = new Set([own, ...packages.map((p) => p.sha256)]);
  const numbers = new Set<string>();
  const rounds = manifest.rounds.map(({ path }) => {
    const round = roundFrom(parseJson(get(path), path), path);
    if (!there.has(round.packageSha256))
      throw new ProjectFileError(`The project file lacks the assembly that round ${round.number} shows.`);
    if (documents[round.document]?.kind !== "sequence")
      throw new ProjectFileError(`The project file lacks the sequence that was sent as round ${round.number}.`);
    const called = `${round.document} ${round.number}`;
    if (numbers.has(called))
      throw new ProjectFileError(`The project file holds round ${round.number} of a sequence twice.`);
    numbers.add(called);
    return round;
  });
  return { ...(rounds.length > 0 ? { rounds } : {}), ...(packages.length > 0 ? { packages } : {}) };
}

function roundFrom(json: unknown, path: string): KeptRound {
  try {
    return parseKeptRound(json);
  } catch (error) {
    if (error instanceof DocumentError) throw new ProjectFileError(error.message);
    if (error instanceof z.ZodError) {
      const issue = error.issues[0];
      throw new ProjectFileError(
        `The project file's "${path.slice(0, 80)}" is not valid: ${issue?.path.join(".")} ${issue?.message}.`,
      );
    }
    throw error;
  }
}

/** The sound files, each under the hash it has, and all that the sequences name. */
function readSounds(
  listed: readonly { sha256: string; path: string }[],
  get: (path: string) => Uint8Array,
  documents: ProjectFile["documents"],
): Pick<ProjectFile, "sounds"> {
  const sounds = listed.map(({ sha256, path }) => {
    const bytes = get(path);
    if (sealOf(bytes) !== sha256 || !soundKind(bytes.subarray(0, 16)))
      throw new ProjectFileError(`The project file is damaged: "${path.slice(0, 80)}" is not the sound it was.`);
    return { asset: sha256, bytes };
  });
  const there = new Set(sounds.map((s) => s.asset));
  for (const sound of soundsOf(documents))
    if (!there.has(sound.asset))
      throw new ProjectFileError(`The project file lacks the recording "${sound.name}" (${sound.file}).`);
  return sounds.length > 0 ? { sounds } : {};
}

/** Every recording of every sequence. */
export const soundsOf = (documents: readonly { kind: DocumentKind; body: DocumentBody }[]): Sound[] =>
  documents.flatMap((d) => (d.kind === "sequence" ? Object.values((d.body as Sequence).sounds ?? {}) : []));

/** All files of the archive, after their sizes, names and check sums were found good. */
function unpackAll(bytes: Uint8Array): Map<string, Uint8Array> {
  try {
    const { entries, end, comment } = readDirectory(bytes, true);
    if (comment.length > 0 && strFromU8(comment, true) !== SEAL + sealOf(bytes.subarray(0, end)))
      throw new ProjectFileError(
        "The project file is damaged: its seal does not fit what it holds. Download or copy it again.",
      );
    if (entries.length > ENTRIES_MAX)
      throw new ProjectFileError(`The project file holds more than ${ENTRIES_MAX} entries and was not opened.`);
    const unsafe = entries.find((e) => unsafePath(e.name));
    if (unsafe)
      throw new ProjectFileError(
        `The project file holds an entry that would leave its folder ("${unsafe.name.slice(0, 80)}") and was not opened.`,
      );
    if (entries.reduce((n, e) => n + e.size, 0) > UNPACKED_MAX_BYTES)
      throw new ProjectFileError(
        `The project file would unpack to more than ${UNPACKED_MAX_BYTES / 1048576} MB and was not opened.`,
      );
    return new Map(entries.filter((e) => !e.name.endsWith("/")).map((e) => [e.name, unpackEntry(bytes, e)]));
  } catch (error) {
    if (error instanceof ZipError)
      throw new ProjectFileError(`The project file is damaged: ${error.message}. Download or copy it again.`);
    throw error;
  }
}

function readManifest(bytes: Uint8Array) {
  const json = parseJson(bytes, "manifest.json") as { version?: unknown };
  if (typeof json?.version === "number" && json.version > PROJECT_FILE_VERSION) {
    throw new ProjectFileError(
      `The project file was made by a newer Plextan (file version ${json.version}; this one reads up to ${PROJECT_FILE_VERSION}). Update Plextan to open it.`,
    );
  }
  const parsed = ManifestSchema.safeParse(json);
  if (!parsed.success)
    throw new ProjectFileError(
      `The project file's manifest is not valid: ${parsed.error.issues[0]?.path.join(".")} ${parsed.error.issues[0]?.message}.`,
    );
  return parsed.data;
}

function parseJson(bytes: Uint8Array, name: string): unknown {
  try {
    return JSON.parse(new TextDecoder("utf-8", { fatal: true }).decode(bytes));
  } catch {
    throw new ProjectFileError(`The project file is damaged: "${name}" is not valid JSON.`);
  }
}

function unsafePath(name: string): boolean {
  return (
    name.startsWith("/") ||
    name.includes("\\") ||
    /^[A-Za-z]:/.test(name) ||
    name.split("/").some((part) => part === ".." || part === ".")
  );
}

/** The preparation and the sequences of a project file. */
export function documentsOf(project: ProjectFile): { preparation: Preparation; sequences: Sequence[] } {
  const preparation = project.documents.find((d) => d.kind === "preparation")?.body as Preparation;
  return {
    preparation,
    sequences: project.documents.filter((d) => d.kind === "sequence").map((d) => d.body as Sequence),
  };
}
