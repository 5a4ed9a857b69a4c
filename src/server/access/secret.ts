import { createHash, randomBytes } from "node:crypto";

/** A new secret of 256 bits, fit for an address or a cookie. It is given away once and kept as its hash alone. */
export const freshSecret = (): string => randomBytes(32).toString("base64url");

/** What is kept of a secret. Plain SHA-256 will do: nobody guesses 256 random bits. */
export const hashOfSecret = (secret: string): Buffer => createHash("sha256").update(secret).digest();
