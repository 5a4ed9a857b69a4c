import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
/**
 * Eigenvalues and unit eigenvectors of a symmetric 3x3 matrix (xx, xy, xz, yy, yz, zz), smallest first. Cyclic Jacobi
 * rotations (Golub and Van Loan, Matrix Computations, 8.5); exact to the last bits for well-scaled input.
 */
export function symmetricEigen(m: readonly [number, number, number, number, number, number]): {
  values: Triple;
  vectors: [number, number, number][];
} {
  const a = [
    [m[0], m[1], m[2]],
    [m[1], m[3], m[4]],
    [m[2], m[4], m[5]],
  ];
  const v = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ];
  const at = (r: number, c: number) => nth(a[r] ?? [], c);
  for (let sweep = 0; sweep < 60; sweep++) {
    const off = at(0, 1) ** 2 + at(0, 2) ** 2 + at(1, 2) ** 2;
    if (off < 1e-300) break;
    for (const [p, q] of [
      [0, 1],
      [0, 2],
      [1, 2],
    ] as const) {
      const apq = at(p, q);
      if (apq === 0) continue;
      const theta = (at(q, q) - at(p, p)) / (2 * apq);
      const t = Math.sign(theta || 1) / (Math.abs(theta) + Math.hypot(theta, 1));
      const c = 1 / Math.hypot(t, 1);
      const s = t * c;
      for (let k = 0; k < 3; k++) {
        const row = a[k] as number[];
        const kp = nth(row, p);
        const kq = nth(row, q);
        row[p] = c * kp - s * kq;
        row[q] = s * kp + c * kq;
      }
      const rp = a[p] as number[];
      const rq = a[q] as number[];
      for (let k = 0; k < 3; k++) {
        const pk = nth(rp, k);
        const qk = nth(rq, k);
        rp[k] = c * pk - s * qk;
        rq[k] = s * pk + c * qk;
      }
      for (let k = 0; k < 3; k++) {
        const row = v[k] as number[];
        const kp = nth(row, p);
        const kq = nth(row, q);
        row[p] = c * kp - s * kq;
        row[q] = s * kp + c * kq;
      }
    }
  }
  const order = [0, 1, 2].sort((i, j) => at(i, i) - at(j, j));
  return {
    values: order.map((i) => at(i, i)) as Triple,
    vectors: order.map((i) => [0, 1, 2].map((k) => nth(v[k] ?? [], i)) as Triple),
  };
}
