import { domainToASCII } from "node:url";
import { z } from "zod";
import { cleanText } from "../../core/text/name";

/**
 * An e-mail address as it is compared: letters without case and in one form, the name of the host in ASCII. What stands
 * after a plus counts, since some mail servers tell such addresses apart.
 */
export function emailKey(email: string): string {
  const at = email.lastIndexOf("@");
  return `${email.slice(0, at).normalize("NFC").toLowerCase()}@${domainToASCII(email.slice(at + 1))}`;
}

const WRONG = "That is not an e-mail address, such as mira@example.com.";

/** The schema of an address that somebody types: any alphabet, at most 254 bytes. Keeps its capitals. */
export const emailSchema = z
  .string()
  .max(1000, WRONG)
  .transform(cleanText)
  .pipe(
    z
      .string()
      .regex(/^[^\s@"(),:;<>[\]\\]+@[^\s@]+\.[^\s@]+$/u, WRONG)
      .refine((e) => Buffer.byteLength(e) <= 254 && e.lastIndexOf("@") <= 64, WRONG)
      .refine((e) => !/^\.|\.\.|\.@/.test(e) && isHost(e.slice(e.lastIndexOf("@") + 1)), WRONG),
  );

/** Whether a name can be a host's on the network: labels of 1 to 63 letters, digits and hyphens once in ASCII. */
function isHost(name: string): boolean {
  const ascii = domainToASCII(name);
  return (
    ascii.length <= 253 &&
    ascii.split(".").every((label) => /^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$/.test(label)) &&
    !/^\d+$/.test(ascii.slice(ascii.lastIndexOf(".") + 1))
  );
}
