"use client";
import { useEffect, useRef, useState } from "react";
import type { ImportSettings } from "../../core/assembly/importSettings";
import { formatNumber } from "../../core/units/units";
import { readPreview, type SourceUpload } from "../../desk/background/sourceWorker";
import { drawPreview } from "../../stage/preview";

/** What a mesh file would look like and how large it would be, under the settings chosen. */
export function MeshPreview({ source, settings }: { source: SourceUpload; settings: ImportSettings }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [text, setText] = useState("Reading the file for a preview …");
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => {
    const abort = new AbortController();
    setProblem(null);
    readPreview(source, settings, abort.signal).then(
      (pkg) => {
        if (!canvas.current || abort.signal.aborted) return;
        const size = drawPreview(canvas.current, pkg).map((v) => formatNumber(v, v < 10 ? 2 : 1));
        setText(
          `${size[0]} × ${size[1]} × ${size[2]} mm · ${pkg.assembly.nodes.filter((n) => n.kind === "part").length} parts · up is ${pkg.assembly.up.toUpperCase()}`,
        );
        setProblem(pkg.assembly.warnings.slice(0, 3).join(" ") || null);
      },
      (e: Error) => e.name !== "AbortError" && setProblem(e.message),
    );
    return () => abort.abort();
  }, [source, settings]);
  return (
    <figure className="mesh-preview">
      <canvas ref={canvas} aria-label="Preview" />
      <figcaption className="number" data-testid="preview-size">
        {text}
      </figcaption>
      {problem && (
        <p className="problem" role="alert">
          {problem}
        </p>
      )}
    </figure>
  );
}
