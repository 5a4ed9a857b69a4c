import { expect, test } from "vitest";
import { Arrival } from "./arrival";

const shape = (n: number) => ({ shape: n, positions: new Float32Array(9), indices: Uint32Array.of(0, 1, 2) });

test("what came before anybody looked is shown first, and each shape once", () => {
  const arrival = new Arrival();
  arrival.take({ stage: "download", share: 0.1 });
  expect(arrival.assembly).toBeNull();
  const assembly = { name: "A" } as never;
  arrival.take({ stage: "tree", assembly });
  expect(arrival.assembly).toBe(assembly);
  arrival.take({ stage: "shapes", shapes: [shape(3), shape(1)] });
  arrival.take({ stage: "shapes", shapes: [shape(0)] });
  const seen: number[][] = [];
  const end = arrival.watch((shapes) => seen.push(shapes.map((s) => s.shape)));
  arrival.take({ stage: "shapes", shapes: [shape(2)] });
  expect(seen).toEqual([[3, 1, 0], [2]]);
  end();
  arrival.take({ stage: "shapes", shapes: [shape(4)] });
  expect(seen).toHaveLength(2);
  // Whoever looks again is shown what came meanwhile.
  arrival.watch((shapes) => seen.push(shapes.map((s) => s.shape)));
  expect(seen[2]).toEqual([4]);
});
