import type { Assembly } from "../../core/assembly/assembly";
import type { ImportSettings } from "../../core/assembly/importSettings";
import type { DocumentBody, DocumentKind } from "../../core/document/parse";
import type { KeptRound } from "../../core/review/kept";
import type { Identities } from "../../core/revision/identity";
import type { ImportError, ImportStage } from "../../formats/importError";

/** Everything about a project but its large files. */
export interface ProjectAbout {
  name: string;
  sourceName: string;
  settings: ImportSettings;
  identities: Identities;
  documents: { kind: DocumentKind; body: DocumentBody }[];
  /** Rounds of review; none where they are not asked for. */
  rounds: KeptRound[];
}

/** A package on disk, and the hash it is kept under. */
export interface PackageFile {
  sha256: string;
  path: string;
}

/** A sound file on disk, and the hash it is kept under. */
export interface SoundFile {
  asset: string;
  path: string;
}

/** What a reader process can be asked for. Files lie on disk at both ends; only what is small goes over the wire. */
export interface ReaderTasks {
  /** Reads a source file into a package. */
  source: {
    request: { path: string; fileName: string; settings: ImportSettings; out: string };
    result: { assembly: Assembly };
  };
  /**
   * Opens a project file: its source and package are written where they are asked for; its sounds, and the packages that
   * only its rounds show, begin with `beside`.
   */
  open: {
    request: { path: string; source: string; package: string; beside: string };
    result: ProjectAbout & { sounds: SoundFile[]; packages: PackageFile[] };
  };
  /** Writes a project file. */
  write: {
    request: {
      project: ProjectAbout;
      source: string;
      package: string;
      sounds: SoundFile[];
      packages: PackageFile[];
      out: string;
    };
    result: Record<string, never>;
  };
  /** Packs a package for its way to a browser. */
  pack: { request: { package: string; out: string }; result: Record<string, never> };
  /** Puts files that were sent later beside those of a source, as one archive. */
  merge: { request: { files: { path: string; name: string }[]; out: string }; result: Record<string, never> };
}
export type TaskKind = keyof ReaderTasks;

export type ToChild =
  | { type: "warm" }
  | { [K in TaskKind]: { type: "task"; kind: K } & ReaderTasks[K]["request"] }[TaskKind];

export type FromChild =
  | { type: "ready" }
  | { type: "warm" }
  | { type: "progress"; stage: ImportStage; share: number | null }
  | { type: "done"; result: unknown }
  | { type: "failed"; code: ImportError["code"] | "project"; message: string; fatal: boolean };
