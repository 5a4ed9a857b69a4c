import type { ZodType } from "zod";
import { NO_ROOM } from "../../formats/importError";
import { type Actor, ENDED_WORDS, type Ended, endSession, type From, standingOf, startSession } from "../access/actor";
import { may, type Need, type Open, refusalOf } from "../access/matrix";
import { isAway, isFull } from "../database/faults";
import { database } from "../database/pool";
import { type Received, receive, type Spool, TooLong } from "../files/spool";
import { RateLimiter } from "../limits/rate";
import { takeUpload } from "../limits/uploads";
import { log } from "../log";
import type { PeopleError } from "../people/problem";
import { Lately } from "../review/lately";
import { type Judged, type MovedOn, type Reviewer, reviewerAt, standsStill } from "../review/voices";
import { atHandOf, isCutOff } from "./atHand";
import { guestTokensIn, type Head, originIn, sessionTokenIn, setSessionToken } from "./cookie";

/** An answer other than success, with words for the user. */
export class HttpError extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

/** The one answer for what does not exist and for what belongs to others. */
export function notFound(what: string): HttpError {
  return new HttpError(404, `This ${what} does not exist, or you may not see it.`);
}

const ID = /^[a-z0-9]{20}$/;

/** Checks an id from the address. @throws HttpError 404 */
export function idFrom(value: string, what: string): string {
  if (!ID.test(value)) throw notFound(what);
  return value;
}

export interface Call<P> {
  actor: Actor;
  /** Id of the actor's session. */
  session: string;
  from: From;
  /** Where the app is reached, for links. */
  origin: string;
  request: Request;
  params: P;
  /** Judges the same caller again, for what lasts; false when they may not any longer. */
  judge: () => Promise<boolean>;
}

/**
 * Makes a route handler. The one place where the actor is obtained and judged: no session, or not a role that may do
 * what the route needs, no handler. Errors become JSON with a message for the user; what is unexpected is logged and
 * not shown.
 */
export function route<P = Record<string, never>>(need: Need, handle: (call: Call<P>) => Promise<Response>) {
  return async (request: Request, context: { params: Promise<P> }): Promise<Response> => {
    try {
      const token = sessionTokenIn(request.headers);
      allow(`session ${token ?? "none"}`, token ? REQUESTS_A_MINUTE : ANONYMOUS_A_MINUTE);
      const { actor, session } = await judged(token, need);
      const judge = stillMay(() => judged(token, need));
      const { from, origin } = placeOf(request.headers);
      return await handle({ actor, session, from, origin, request, params: await context.params, judge });
    } catch (error) {
      return failure(error, request.headers.get("x-plextan-request"));
    }
  };
}

/** A session that ended before its time, with why. */
class SessionOver extends HttpError {
  constructor(readonly ended: Ended) {
    super(401, ENDED_WORDS[ended]);
  }
}

/** Who comes with a session's token, when they may do what is needed. @throws HttpError 401 or 403 */
async function judged(token: string | undefined, need: Need): Promise<{ actor: Actor; session: string }> {
  const standing = await standingOf(database(), token);
  if (standing.kind === "over") throw new SessionOver(standing.why);
  if (standing.kind === "unknown") throw new HttpError(401, "You are not signed in.");
  if (!may(standing.actor.role, need)) throw new HttpError(403, refusalOf(standing.actor.role, need));
  return standing;
}

/** A judgement as yes or no. While the database is away nobody is cut off: the next one tells. */
const stillMay = (judge: () => Promise<unknown>) => (): Promise<boolean> =>
  judge().then(
    () => true,
    (error) => !(error instanceof HttpError || isPeopleError(error)),
  );

/** A call of a route about a round of review. */
export interface ReviewCall<P> extends Judged {
  request: Request;
  params: P;
  from: From;
  origin: string;
  /** Judges the same caller again, for what lasts; false when they may not any longer. */
  judge: () => Promise<boolean>;
}

const lately = new Lately();

/**
 * Makes a handler about a round: for people of its workspace whose role allows it, and for guests whose link does.
 * @param often for what many wait for: who was judged a moment ago comes with the condition that it still holds
 */
export function reviewed<P extends { round: string }>(
  need: Need,
  handle: (call: ReviewCall<P>) => Promise<Response>,
  often = false,
) {
  return async (request: Request, context: { params: Promise<P> }): Promise<Response> => {
    try {
      const [token, tokens] = [sessionTokenIn(request.headers), guestTokensIn(request.headers)];
      const counted = token ?? tokens[0];
      allow(`session ${counted ?? "none"}`, counted ? REQUESTS_A_MINUTE : ANONYMOUS_A_MINUTE);
      const params = await context.params;
      const key = `${need} ${params.round} ${token} ${tokens.join()}`;
      const at = () => judgedAt(token, tokens, need, params.round);
      const anew = async () => {
        lately.forget(key);
        const me = await at();
        if (often) lately.set(key, me, performance.now());
        return me;
      };
      const before = often ? lately.get(key, performance.now()) : null;
      const me = before ?? (await anew());
      return await handle({
        ...{ me, stands: before && standsStill(before, token, tokens), sure: before ? anew : async () => me },
        ...{ request, params, ...placeOf(request.headers), judge: stillMay(at) },
      });
    } catch (error) {
      if (isMovedOn(error))
        return Response.json({ error: error.message, round: error.round }, { status: error.status });
      return failure(error, request.headers.get("x-plextan-request"));
    }
  };
}

/** Who is at a round, by session or by a guest's tokens. @throws HttpError or PeopleError */
async function judgedAt(
  token: string | undefined,
  tokens: readonly string[],
  need: Need,
  round: string,
): Promise<Reviewer> {
  const standing = await standingOf(database(), token, round);
  if (standing.kind === "over" && tokens.length === 0) throw new SessionOver(standing.why);
  const known = standing.kind === "actor" ? standing : null;
  if (!known && tokens.length === 0) throw new HttpError(401, "You are not signed in.");
  if (known && !may(known.actor.role, need)) throw new HttpError(403, refusalOf(known.actor.role, need));
  return await reviewerAt(database(), idFrom(round, "round"), need, known, tokens);
}

/** A call of a route that answers anybody. */
export interface OpenCall {
  request: Request;
  from: From;
  origin: string;
  /** The token that came along, judged by nobody yet. */
  token: string | undefined;
}

/** Makes a handler for a route that answers anybody: named in the list, counted by where the request comes from. */
export function open(what: Open, handle: (call: OpenCall) => Promise<Response>) {
  return async (request: Request): Promise<Response> => {
    try {
      const { from, origin } = placeOf(request.headers);
      allow(`${what} from ${from.address}`, OPEN_A_MINUTE);
      return await handle({ request, from, origin, token: sessionTokenIn(request.headers) });
    } catch (error) {
      return failure(error, request.headers.get("x-plextan-request"));
    }
  };
}

/** Signs somebody in, in a session of its own: one that stood before in this browser ends. */
export async function enter(actor: Actor, call: Pick<OpenCall, "from" | "token">): Promise<void> {
  await endSession(database(), call.token);
  await setSessionToken(await startSession(database(), actor.userId, call.from));
}

/** Where a request comes from, and where it came in. */
const placeOf = (head: Head): { from: From; origin: string } => ({
  from: { address: head.get("x-plextan-address") ?? "", agent: head.get("user-agent") ?? "" },
  origin: originIn(head),
});

/**
 * Requests a minute of one session, and of all that have none. A desk that is dragged without a pause sends about
 * 600.
 */
const REQUESTS_A_MINUTE = Number(process.env.PLEXTAN_REQUESTS_A_MINUTE ?? 3000);
const ANONYMOUS_A_MINUTE = 1200;
/** To one open route from one address: a browser asks once in a while, a start script ten times a second. */
const OPEN_A_MINUTE = 1500;

/** Counts a request. @throws HttpError 429 when there were too many in this minute */
export function allow(key: string, most: number): void {
  if (!limiter().take(key, most))
    throw new HttpError(429, "Too many requests in this minute. Wait a little; nothing is lost.");
}

const holder = globalThis as { plextanLimiter?: RateLimiter };
const limiter = () => {
  holder.plextanLimiter ??= new RateLimiter(database);
  return holder.plextanLimiter;
};

/** Refuses a body that says it is something else than what is expected. @throws HttpError 415 */
export function expectType(request: Request, types: readonly string[]): void {
  const type = (request.headers.get("content-type") ?? "").split(";")[0]?.trim().toLowerCase() ?? "";
  if (!types.includes(type))
    throw new HttpError(
      415,
      `This takes ${types.join(" or ")}, not ${type === "" ? "a body without a type" : type.slice(0, 60)}.`,
    );
}

/** What a file may be sent as. */
export const FILE_TYPES = ["application/octet-stream", "application/zip"];

/**
 * Errors whose words are for the user. By name: the framework loads a module once for each route, so one class may be
 * there several times.
 */
const TOLD: ReadonlySet<string> = new Set(["DocumentError", "ProjectFileError", "ImportError", "PackageError"]);

const isMovedOn = (error: unknown): error is MovedOn =>
  isPeopleError(error) && typeof (error as Partial<MovedOn>).round === "string";
const isPeopleError = (error: unknown): error is PeopleError => (error as Error | null)?.name === "PeopleError";

/** An error as a response. @param request number of the request, for the log and for who asks what it was */
export function failure(error: unknown, request: string | null = null): Response {
  if (error instanceof SessionOver)
    return Response.json({ error: error.message, ended: error.ended }, { status: error.status });
  if (error instanceof HttpError)
    return Response.json(
      { error: error.message },
      { status: error.status, headers: error.status === 429 ? { "Retry-After": "10" } : {} },
    );
  if (isPeopleError(error)) return failure(new HttpError(error.status, error.message), request);
  if (error instanceof Error && TOLD.has(error.name)) return Response.json({ error: error.message }, { status: 422 });
  if (isCutOff(error)) return failure(new HttpError(400, "The connection was cut before all of it was here."), request);
  if (isFull(error)) {
    log().error({ err: error, request }, "no room left");
    return Response.json({ error: NO_ROOM }, { status: 507 });
  }
  if (isAway(error)) {
    return Response.json(
      { error: "The database cannot be reached. Your work is kept in this browser and saved when it is back." },
      { status: 503 },
    );
  }
  log().error({ err: error, request }, "route");
  const named = request ? ` If it comes back, name ${request} to whoever runs Plextan.` : "";
  return Response.json({ error: `Something went wrong on the server. Try again.${named}` }, { status: 500 });
}

/** Reads and checks a JSON body of at most `limit` bytes. @throws HttpError 400 or 413 */
export async function readJson<T>(request: Request, schema: ZodType<T>, limit = 16 * 1024 * 1024): Promise<T> {
  expectType(request, ["application/json"]);
  const bytes = await readBody(request, limit);
  let json: unknown;
  try {
    json = JSON.parse(new TextDecoder().decode(bytes));
  } catch {
    throw new HttpError(400, "The request is not valid JSON.");
  }
  const parsed = schema.safeParse(json);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    const message = issue?.message ?? "not valid";
    throw new HttpError(
      400,
      /^[A-Z].*\.$/.test(message)
        ? message
        : `The request is not valid at ${issue?.path.join(".") || "its root"}: ${message}.`,
    );
  }
  return parsed.data;
}

/**
 * Takes an uploaded file: into the spool as it comes, within one of the workspace's places for uploads.
 * @throws HttpError 413, 415, or 429 when too many are on their way
 */
export async function readFile(request: Request, actor: Actor, spool: Spool, limit: number): Promise<Received> {
  expectType(request, FILE_TYPES);
  const tooLong = () =>
    new HttpError(413, `The file is too large; at most ${Math.round(limit / 1048576)} MB can be taken.`);
  if (Number(request.headers.get("content-length") ?? 0) > limit) throw tooLong();
  const done = await takeUpload(database(), actor.workspaceId);
  if (!done)
    throw new HttpError(429, "Several files are being sent already. Wait until one of them is there, then try again.");
  try {
    return await receive(request.body, spool.path("upload"), limit);
  } catch (error) {
    if (error instanceof TooLong) throw tooLong();
    throw error;
  } finally {
    await done();
  }
}

/** Reads a body, stopping as soon as it is longer than `limit` bytes. @throws HttpError 413 */
export async function readBody(request: Request, limit: number): Promise<Uint8Array> {
  const most = limit < 1048576 ? `${Math.ceil(limit / 1024)} kB` : `${Math.round(limit / 1048576)} MB`;
  const tooLong = () => new HttpError(413, `The file is too large; at most ${most} can be taken.`);
  if (Number(request.headers.get("content-length") ?? 0) > limit) throw tooLong();
  const whole = await atHandOf(request)?.();
  if (whole && whole.length > limit) throw tooLong();
  if (whole) return whole;
  const chunks: Uint8Array[] = [];
  let size = 0;
  const reader = request.body?.getReader();
  while (reader) {
    const { done, value } = await reader.read();
    if (done) break;
    size += value.length;
    if (size > limit) {
      await reader.cancel();
      throw tooLong();
    }
    chunks.push(value);
  }
  const out = new Uint8Array(size);
  let at = 0;
  for (const c of chunks) {
    out.set(c, at);
    at += c.length;
  }
  return out;
}

/** Header value for a download; the name may hold any letters. */
export function attachment(name: string): string {
  return `attachment; filename="${name.replace(/[^\x20-\x7e]|["\\]/g, "_")}"; filename*=UTF-8''${encodeURIComponent(name)}`;
}
