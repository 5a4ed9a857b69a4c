import { zipSync } from "fflate";
import { formatByName, MODEL_FORMATS } from "../../core/assembly/sourceFormats";
import { readDirectory, unpackEntry, ZipError } from "../archive/zip";
import { ImportError } from "../importError";
import { isStepName, mastersOf } from "../step/set";

/** A file with those that lie beside it: an OBJ with its MTL, a glTF with its buffers. */
export interface Bundle {
  name: string;
  bytes: Uint8Array;
  /** Side files by name, lower case, without folders. */
  beside: ReadonlyMap<string, Uint8Array>;
}

const UNPACKED_MAX_BYTES = 512 * 1024 * 1024;
const ENTRIES_MAX = 400;
const STAMP = new Date("2026-01-01T00:00:00Z");
/** Packs files that belong together, so that they travel and are kept as one. */
export function packBundle(files: readonly { name: string; bytes: Uint8Array }[]): Uint8Array {
  return zipSync(Object.fromEntries(files.map((f) => [f.name.split(/[/\\]/).pop() ?? f.name, f.bytes])), {
    level: 1,
    mtime: STAMP,
  });
}

export const isZip = (bytes: Uint8Array) =>
  bytes.length > 3 && bytes[0] === 0x50 && bytes[1] === 0x4b && (bytes[2] === 3 || bytes[2] === 5);

/** Unpacks an archive, never more than a set amount. @throws ImportError */
export function unpack(
  bytes: Uint8Array,
  what: string,
  wanted: (name: string) => boolean = () => true,
): Map<string, Uint8Array> {
  try {
    const entries = readDirectory(bytes).entries.filter((e) => !e.name.endsWith("/") && wanted(e.name));
    if (entries.length > ENTRIES_MAX)
      throw new ImportError(
        "too-large",
        `The ${what} holds more than ${ENTRIES_MAX} files. Leave out what the model does not need.`,
      );
    if (entries.reduce((n, e) => n + e.size, 0) > UNPACKED_MAX_BYTES)
      throw new ImportError(
        "too-large",
        `The ${what} would unpack to more than ${UNPACKED_MAX_BYTES / 1048576} MB. Leave out what the model does not need.`,
      );
    return new Map(entries.map((e) => [e.name, unpackEntry(bytes, e)]));
  } catch (error) {
    if (!(error instanceof ZipError)) throw error;
    if (error.code === "damaged")
      throw new ImportError(
        "truncated",
        `The ${what} could not be unpacked: it is damaged or was cut off (${error.message}). Export or copy it again.`,
      );
    throw new ImportError(
      "unreadable",
      `The ${what} could not be unpacked: ${error.message}. Pack it as an ordinary zip without a password.`,
    );
  }
}

/** Names of an archive's files, without unpacking any. @throws ImportError */
export function namesIn(bytes: Uint8Array, what: string): string[] {
  try {
    return readDirectory(bytes).entries.map((e) => e.name);
  } catch (error) {
    if (!(error instanceof ZipError)) throw error;
    throw new ImportError(
      "truncated",
      `The ${what} could not be unpacked: it is damaged or was cut off (${error.message}). Export or copy it again.`,
    );
  }
}

/** Opens an archive of files that belong together and finds its main file. @throws ImportError */
export function openBundle(bytes: Uint8Array, fileName: string): Bundle {
  const files = unpack(bytes, "archive");
  const names = [...files.keys()];
  for (const format of MODEL_FORMATS) {
    let found = names.filter((n) => formatByName(n) === format && !/(^|\/)(__MACOSX|\.)/.test(n));
    // Parts in files of their own: the one that no other names is what the set is about.
    if (found.length > 1 && found.every(isStepName)) {
      const masters = mastersOf(found.map((name) => ({ name, bytes: files.get(name) as Uint8Array })));
      if (masters.length === 1) found = masters;
    }
    if (found.length > 1) {
      throw new ImportError(
        "unknown-format",
        `The archive ${fileName} holds several models (${found.slice(0, 3).join(", ")}${found.length > 3 ? ", ..." : ""}). Bring in one at a time.`,
      );
    }
    const main = found[0];
    if (main) {
      const beside = new Map<string, Uint8Array>();
      for (const [name, data] of files)
        if (name !== main) beside.set((name.split("/").pop() ?? name).toLowerCase(), data);
      return { name: main.split("/").pop() ?? main, bytes: files.get(main) as Uint8Array, beside };
    }
  }
  throw new ImportError(
    "unknown-format",
    `The archive ${fileName} holds no model that Plextan reads (STEP, glTF, GLB, OBJ, STL, 3MF).`,
  );
}

/** A side file by the name that the main file gives it; null when it is not there. */
export function beside(bundle: Bundle, uri: string): Uint8Array | null {
  let name = uri;
  try {
    name = decodeURIComponent(uri);
  } catch {
    // Not an encoded name; taken as it stands.
  }
  return bundle.beside.get((name.split(/[/\\]/).pop() ?? name).toLowerCase()) ?? null;
}

/** The error for side files that are not there. */
export function missingFiles(names: readonly string[], main: string): ImportError {
  const list = names.slice(0, 5).join(", ") + (names.length > 5 ? ` and ${names.length - 5} more` : "");
  return new ImportError(
    "missing-file",
    `${main} needs ${list}, which ${names.length === 1 ? "was" : "were"} not given. Choose or drop ${names.length === 1 ? "it" : "them"} together with ${main}.`,
  );
}
