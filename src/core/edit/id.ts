const LETTERS = "abcdefghijklmnopqrstuvwxyz0123456789";
const LENGTH = 20;
/** Random bytes in store: thousands of ids are made in one act, and asking the platform costs more than the rest. */
const store = new Uint8Array(200 * LENGTH);
let used = store.length;

/** A new id of 20 lower-case letters and digits, from the platform's random source. */
export function freshId(): string {
  if (used === store.length) {
    crypto.getRandomValues(store);
    used = 0;
  }
  let out = "";
  for (const end = used + LENGTH; used < end; used++) out += LETTERS[(store[used] as number) % 36];
  return out;
}
