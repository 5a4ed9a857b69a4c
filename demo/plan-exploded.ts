/**
 * Plans the exploded view of the pump that the demo shows, as if nothing else were there, and writes it beside this
 * file. Run it again when the demo's CAD changes: node --import tsx demo/plan-exploded.ts PACKAGE
 */

import { readFileSync, writeFileSync } from "node:fs";
import { indexAssembly } from "../src/core/assembly/assembly";
import { decodePackage } from "../src/core/assembly/package";
import { bodyOf } from "../src/core/explode/bodies";
import { planChecked } from "../src/core/explode/plan";
import { nth } from "../src/core/math/packed";

const pkg = decodePackage(readFileSync(process.argv[2] ?? ""));
const index = indexAssembly(pkg.assembly);
const pump = index.indexOf.get("Rill H2/Pump") as number;
const nodes = (index.children[pump] ?? []).flatMap((n) =>
  index.children[n]?.length ? (index.children[n] ?? []) : [n],
);
const keyOf = (n: number) => index.assembly.nodes[n]?.key ?? "";
const { plan } = planChecked(
  nodes.map((n) => bodyOf(keyOf(n), index, pkg.geometries, index.homeWorld, [n])),
  { gap: 12, stagger: 0.35 },
);
const parts = plan.flatMap((p, i) =>
  p.why === "stays" || p.why === "stuck"
    ? []
    : [
        [
          keyOf(nth(nodes, i)),
          {
            direction: p.direction.map((v) => Math.round(v * 1e9) / 1e9 + 0),
            distance: Math.round(p.distance * 10) / 10,
            order: p.order,
          },
        ],
      ],
);
writeFileSync(new URL("./exploded.json", import.meta.url), `${JSON.stringify(Object.fromEntries(parts), null, 1)}\n`);
