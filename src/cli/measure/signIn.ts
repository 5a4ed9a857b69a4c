import { hash } from "@node-rs/argon2";
import { hashPassword, isPassword } from "../../server/people/passwords";
import { type Measurement, median } from "./measurement";

const RUNS = 15;
const taken = async (work: () => Promise<unknown>) => {
  const began = performance.now();
  await work();
  return performance.now() - began;
};

/**
 * Judging a password: for an account that does not exist against one that does (the time must not tell which), and
 * for one that does against the least work that is recommended (19 MiB, two passes).
 */
export async function measureSignIn(): Promise<Measurement[]> {
  const kept = await hashPassword("a password that is kept");
  await isPassword("x", null);
  const times: [known: number, unknown: number, least: number][] = [];
  for (let i = 0; i < RUNS; i++)
    times.push([
      await taken(() => isPassword(`wrong ${i}`, kept)),
      await taken(() => isPassword(`wrong ${i}`, null)),
      await taken(() => hash(`wrong ${i}`, { memoryCost: 19_456, timeCost: 2, parallelism: 1 })),
    ]);
  const [known, unknown, least] = [0, 1, 2].map((k) => median(times.map((t) => t[k] as number))) as [
    number,
    number,
    number,
  ];
  return [
    {
      name: "sign-in",
      ours: unknown,
      reference: known,
      ratio: unknown / known,
      unit: "ms",
      note: "no such account against a wrong password: at most 1.1, at least 0.9",
    },
    { name: "sign-in-cost", ours: known, reference: least, ratio: known / least, unit: "ms", note: "at least 3" },
  ];
}
