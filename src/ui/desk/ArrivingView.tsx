"use client";
import { Progress } from "antd";
import Link from "next/link";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Assembly } from "../../core/assembly/assembly";
import type { Arrival } from "../../desk/background/arrival";
import { ArrivingScene } from "../../stage/arrivingScene";
import { LongList } from "../common/LongList";
import { Wordmark } from "../common/Wordmark";

/** How far right a node stands in the list, by how deep it lies in the tree. */
const INDENT = 12;
const DEEPEST = 8;

/** An assembly that is still on its way: its tree and boxes at once, its parts as they come. */
export function ArrivingView({
  arrival,
  assembly,
  share,
}: {
  arrival: Arrival;
  assembly: Assembly;
  share: number | null;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [come, setCome] = useState(0);
  useEffect(() => {
    if (!canvas.current) return;
    let scene: ArrivingScene | null = null;
    try {
      scene = new ArrivingScene(canvas.current, assembly);
    } catch {
      // Without graphics there is the list; the desk says what to do, once it is there.
    }
    const end = arrival.watch((shapes) => {
      scene?.add(shapes);
      setCome((n) => n + shapes.length);
    });
    return () => {
      end();
      scene?.dispose();
    };
  }, [arrival, assembly]);
  const lines = useMemo(() => {
    const depth: number[] = [];
    return assembly.nodes.map(({ name, parent }, i) => {
      depth[i] = parent < 0 ? 0 : (depth[parent] ?? 0) + 1;
      return { name, indent: INDENT * Math.min(DEEPEST, depth[i] ?? 0), key: String(i) };
    });
  }, [assembly]);
  const parts = assembly.nodes.filter((n) => n.kind === "part").length;
  return (
    <div className="arriving">
      <Link className="arriving-back" href="/" aria-label="All projects">
        <Wordmark />
      </Link>
      <section className="panel" aria-label="Parts">
        <div className="panel-head">
          <h3>Parts</h3>
          <span className="number soft">{parts}</span>
        </div>
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be scrolled by keys too */}
        <section className="panel-body pad scrolling" tabIndex={0} aria-label="Tree of the assembly">
          <LongList
            label="Parts that are coming"
            className="arriving-parts"
            rowHeight={24}
            items={lines}
            keyOf={(l) => l.key}
            row={(l) => (
              <li className="ellipsis soft" style={{ paddingLeft: l.indent }} title={l.name}>
                {l.name}
              </li>
            )}
          />
        </section>
      </section>
      <div className="arriving-picture">
        <canvas ref={canvas} aria-label={`${assembly.name}, as far as it has come`} />
        <div className="arriving-progress">
          <span>
            {share !== null && share >= 1
              ? "Opening the desk …"
              : `${come} of ${assembly.geometries.length} shapes are here, the largest first`}
          </span>
          <Progress
            aria-label="How much has come"
            percent={Math.round(100 * (share ?? 1))}
            status={share === null ? "active" : "normal"}
            showInfo={share !== null}
          />
        </div>
      </div>
    </div>
  );
}
