import type { Direct, Handler } from "../../server/http/direct";
import { POST as edit } from "./documents/[id]/edits/route";
import { GET as projectFeed } from "./projects/[id]/feed/route";
import { POST as presence } from "./projects/[id]/presence/route";
import { POST as comment } from "./rounds/[round]/comments/route";
import { GET as roundFeed } from "./rounds/[round]/feed/route";

/**
 * Routes by which people see one another work. They are answered without the framework between, which takes longer
 * over a request than all that is done for it; it has them as well, and answers alike. Their answers are short: what is
 * worth packing goes through the framework, which packs it.
 */
export const DIRECT: readonly Direct[] = (
  [
    ["POST", "/api/documents/[id]/edits", edit],
    ["GET", "/api/projects/[id]/feed", projectFeed],
    ["POST", "/api/projects/[id]/presence", presence],
    ["POST", "/api/rounds/[round]/comments", comment],
    ["GET", "/api/rounds/[round]/feed", roundFeed],
  ] as const
).map(([method, path, handler]) => ({ method, path, handler: handler as unknown as Handler }));
