import type { Assembly } from "../../core/assembly/assembly";
import type { ImportSettings } from "../../core/assembly/importSettings";
import type { ImportError, ImportStage } from "../../formats/importError";

export interface ToChild {
  type: "read";
  bytes: Uint8Array;
  fileName: string;
  settings: ImportSettings;
}
export type FromChild =
  | { type: "ready" }
  | { type: "progress"; stage: ImportStage; share: number | null }
  | { type: "done"; package: Uint8Array; assembly: Assembly }
  | { type: "failed"; code: ImportError["code"]; message: string; fatal: boolean };
