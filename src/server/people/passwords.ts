import { hash, type Options, verify } from "@node-rs/argon2";
import { dictionary } from "@zxcvbn-ts/language-common";
import { z } from "zod";

export const PASSWORD_LEAST = 10;
const PASSWORD_MOST = 200;

/**
 * argon2id, 64 MiB, four passes: about 100 ms of one core of the machines this was tried on, well above the least that
 * OWASP's sheet on storing passwords asks for (19 MiB, two passes). The work is done beside the main thread, at most
 * four at a time, which is Node's pool.
 */
const COST: Options = { memoryCost: 65_536, timeCost: 4, parallelism: 1 };

/** Letters in one form: the same password typed on two keyboards may come in two. */
const form = (password: string) => password.normalize("NFKC");

let common: ReadonlySet<string> | null = null;
const commonOnes = () => {
  common ??= new Set(dictionary["passwords-common"] as readonly string[]);
  return common;
};

/**
 * Why a password is not taken, in words; null when it is. Length, and what anybody would try first, count; which kinds
 * of letters it has does not.
 * @param names what belongs to its owner: name, address
 */
export function faultOfPassword(password: string, names: readonly string[] = []): string | null {
  const text = form(password);
  const length = [...text].length;
  if (length < PASSWORD_LEAST)
    return `A password has at least ${PASSWORD_LEAST} characters; a few words make a good one.`;
  if (length > PASSWORD_MOST) return `A password has at most ${PASSWORD_MOST} characters.`;
  const plain = text.toLowerCase();
  // What is a common one with something added at its ends is tried by the same lists.
  const core = plain.replace(/^[\d\W_]+|[\d\W_]+$/gu, "");
  const shown = new Set([...names.flatMap((n) => [n, ...n.split(/[@.\s]+/)]), "plextan"].map((n) => n.toLowerCase()));
  if (commonOnes().has(plain) || new Set(plain).size < 4)
    return "This password is on the list of those that are tried first. Choose another.";
  if (shown.has(plain) || (core !== "" && shown.has(core)))
    return "This password is a name or an address with little added. Choose another.";
  return null;
}

/** The schema of a password that is chosen; {@link faultOfPassword} judges it. */
export const passwordSchema = z.string().max(1000, `A password has at most ${PASSWORD_MOST} characters.`);

/** What is kept of a password. */
export const hashPassword = (password: string): Promise<string> => hash(form(password), COST);

let nobodys: Promise<string> | null = null;

/**
 * Whether a password belongs to a hash. Without a hash the same work is done and the answer is no, so that the time it
 * takes tells nobody which accounts exist.
 */
export async function isPassword(password: string, kept: string | null): Promise<boolean> {
  nobodys ??= hashPassword("nobody has this password");
  const right = await verify(kept ?? (await nobodys), form(password.slice(0, 1000)));
  return right && kept !== null;
}
