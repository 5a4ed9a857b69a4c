import { type RefObject, useEffect, useLayoutEffect, useRef, useState } from "react";
import { pointId, pointIds, pointOf, selectPoints } from "../../desk/acts/curveActions";
import type { Shown } from "../../desk/curves/model";
import { useDesk } from "../desk/context";

/**
 * The keyboard among the points: with nothing selected the arrow keys go from point to point and from strip to strip,
 * Enter or Space selects. The focus survives every edit: a point that was moved, and so became an arrival of its own,
 * keeps it.
 * @returns the point that the Tab key goes to
 */
export function usePointFocus(
  svg: RefObject<SVGSVGElement | null>,
  shown: readonly Shown[],
  chosen: ReadonlySet<string>,
  reveal: (s: Shown) => void,
): string | null {
  const desk = useDesk();
  const [cursor, setCursor] = useState<string | null>(null);
  /** Whether keys were last meant for the plot. */
  const inside = useRef(false);
  const known = (id: string | null) => id !== null && shown.some((s) => pointIds(s).includes(id));
  const only = chosen.size === 1 ? ([...chosen][0] ?? null) : null;
  const first = shown.find((s) => s.curve.keys.length > 0);
  const fallback = first ? (pointIds(first)[0] ?? null) : null;
  const now = only ?? (known(cursor) ? cursor : fallback);

  const live = useRef({ shown, chosen, now, reveal });
  live.current = { shown, chosen, now, reveal };
  useEffect(() => {
    const el = svg.current;
    if (!el) return;
    const focusOf = (id: string) => el.querySelector<SVGGElement>(`[data-point="${CSS.escape(id)}"]`)?.focus();
    const onKey = (e: KeyboardEvent) => {
      const { shown: list, chosen: on, now: at } = live.current;
      if (e.ctrlKey || e.metaKey || e.altKey) return;
      const row = list.findIndex((s) => at !== null && pointIds(s).includes(at));
      const s = list[row];
      const i = s && at !== null ? pointIds(s).indexOf(at) : -1;
      if ((e.key === "Enter" || e.key === " ") && s && i >= 0 && document.activeElement !== el) {
        selectPoints(desk, [pointOf(s, s.curve.keys[i] as Shown["curve"]["keys"][number])]);
      } else if (on.size > 0 || !e.key.startsWith("Arrow") || !s) return;
      else {
        const key = s.curve.keys[i];
        const across = e.key === "ArrowLeft" ? -1 : e.key === "ArrowRight" ? 1 : 0;
        const next = across === 0 ? list[row + (e.key === "ArrowUp" ? -1 : 1)] : s;
        // In another strip the point nearest in time.
        const to =
          across !== 0
            ? s.curve.keys[i + across]
            : next?.curve.keys.toSorted((a, b) => Math.abs(a.at - (key?.at ?? 0)) - Math.abs(b.at - (key?.at ?? 0)))[0];
        if (next && to) {
          const id = pointId(pointOf(next, to));
          setCursor(id);
          live.current.reveal(next);
          requestAnimationFrame(() => focusOf(id));
        }
      }
      e.preventDefault();
      e.stopPropagation();
    };
    const onFocus = (e: FocusEvent) => {
      inside.current = el.contains(e.target as Node);
      const id = (e.target as Element).getAttribute?.("data-point");
      if (inside.current && id) setCursor(id);
    };
    el.addEventListener("keydown", onKey);
    document.addEventListener("focusin", onFocus);
    return () => {
      el.removeEventListener("keydown", onKey);
      document.removeEventListener("focusin", onFocus);
    };
  }, [svg, desk, shown.length > 0]);

  // An edit may have drawn another thing for the point that had the focus: it goes along, and never to nowhere.
  useLayoutEffect(() => {
    const el = svg.current;
    if (!el || !inside.current || document.activeElement !== document.body) return;
    const there = now ? el.querySelector<SVGGElement>(`[data-point="${CSS.escape(now)}"]`) : null;
    (there ?? el).focus({ preventScroll: true });
  });
  return now;
}
