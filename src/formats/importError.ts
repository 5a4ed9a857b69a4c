/** A file that cannot be taken: says what is wrong with it and what to do. Shown to the user as it stands. */
export class ImportError extends Error {
  override readonly name = "ImportError";
  constructor(
    readonly code:
      | "empty"
      | "not-step"
      | "not-glb"
      | "truncated"
      | "unreadable"
      | "no-geometry"
      | "too-large"
      | "unknown-format"
      | "missing-file"
      | "no-room",
    message: string,
    /** Nobody foresaw it: whoever read the file may be in a bad way and is not used again. */
    readonly unforeseen = false,
  ) {
    super(message);
  }
}

/** A disk that is full is no fault of the file. */
export const NO_ROOM =
  "The server has no room left for files, so nothing was stored. Tell whoever runs Plextan, and try again then.";

/** Whether an error says that a disk, or what one may use of it, is full. */
export const isFullDisk = (error: unknown): boolean =>
  ["ENOSPC", "EDQUOT"].includes((error as { code?: string } | null)?.code ?? "");

/** How far an import has come. `share` is 0..1 within the stage, or null where it cannot be known. */
export type ImportStage = "read" | "mesh" | "store";
export type ImportProgress = (stage: ImportStage, share: number | null) => void;
