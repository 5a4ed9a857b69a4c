"use client";
import { nth } from "../../core/math/packed";

const COLORS = ["#b0493c", "#4f7f3a", "#3566a0"];
const NAMES = ["X", "Y", "Z"];

/** Shows which way X, Y and Z point as seen on the stage. `matrix` is the camera's, column-major. */
export function Triad({ matrix, drawn }: { matrix: number[]; drawn: number }) {
  void drawn;
  const axes = [0, 1, 2]
    .map((k) => ({ k, x: nth(matrix, k), y: -nth(matrix, 4 + k), z: nth(matrix, 8 + k) }))
    .sort((a, b) => a.z - b.z);
  return (
    <svg className="triad" width="76" height="76" viewBox="-38 -38 76 76" role="img" aria-label="Axis triad">
      {axes.map(({ k, x, y, z }) => (
        <g key={k} opacity={z < -0.3 ? 0.55 : 1}>
          <line x1="0" y1="0" x2={x * 22} y2={y * 22} stroke={COLORS[k]} strokeWidth="2.4" strokeLinecap="round" />
          <text x={x * 31} y={y * 31} fill={COLORS[k]} textAnchor="middle" dominantBaseline="central">
            {NAMES[k]}
          </text>
        </g>
      ))}
      <circle r="2.6" fill="var(--ink)" />
    </svg>
  );
}
