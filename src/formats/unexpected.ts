import { PackageError } from "../core/assembly/package";
import { ImportError, isFullDisk, NO_ROOM } from "./importError";

/**
 * The one place where what nobody foresaw becomes an answer: a sentence that says what to do, and a code that tells
 * us where it came from. Messages of libraries are for the log, not for the user.
 */
export function asImportError(error: unknown, where: string): ImportError {
  if (error instanceof ImportError) return error;
  const told = tell(error, where);
  told.cause = error;
  return told;
}

function tell(error: unknown, where: string): ImportError {
  if (isFullDisk(error)) return new ImportError("no-room", NO_ROOM);
  if (error instanceof PackageError)
    return new ImportError("unreadable", `${error.message} Repair the model or export it again.`);
  if (error instanceof RangeError && /call stack/i.test(error.message))
    return new ImportError(
      "too-large",
      `The file nests or refers to itself too deeply to be read (code ${codeOf(where, error)}). Export it again with a flatter structure.`,
      true,
    );
  if (error instanceof RangeError && /array|allocation|length/i.test(error.message))
    return new ImportError(
      "too-large",
      `The file asks for more memory than there is (code ${codeOf(where, error)}). Split the assembly, or export it with fewer details.`,
      true,
    );
  return new ImportError(
    "unreadable",
    `The file made the reader stumble (code ${codeOf(where, error)}). It is probably damaged; export it again, or in another format.`,
    true,
  );
}

/** Short and stable: where, and a number made of the error's own words. */
function codeOf(where: string, error: unknown): string {
  const text = error instanceof Error ? `${error.name}:${error.message}` : String(error);
  let h = 0;
  for (let i = 0; i < text.length; i++) h = (Math.imul(h, 31) + text.charCodeAt(i)) >>> 0;
  return `${where}-${(h % 46_656).toString(36).padStart(3, "0").toUpperCase()}`;
}
