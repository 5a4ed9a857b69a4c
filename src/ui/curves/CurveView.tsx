"use client";
import { Button, Segmented, Select, Tooltip } from "antd";
import {
  Crosshair,
  FoldHorizontal,
  FoldVertical,
  Maximize2,
  MoveVertical,
  Scan,
  UnfoldHorizontal,
  UnfoldVertical,
} from "lucide-react";
import { memo, useEffect, useMemo, useRef, useState } from "react";
import type { Target } from "../../core/document/sequence";
import { nth } from "../../core/math/packed";
import { TICKS_PER_SECOND } from "../../core/time/time";
import {
  goBackTo,
  insertPoint,
  nudgePoints,
  pointId,
  pointOf,
  removeUnchanging,
  selectPoints,
  setCurves,
  thinChannel,
} from "../../desk/acts/curveActions";
import { earlierStates, loadPast } from "../../desk/curves/earlier";
import { fewTargets, reachOf, type Shown, shownChannels, shownTargets, valueText } from "../../desk/curves/model";
import { type PlotView, type Range, roomy, zoomed, zoomedValues } from "../../desk/curves/plotView";
import { AskNumber } from "../common/AskNumber";
import { More } from "../common/More";
import { useDesk, useDeskState } from "../desk/context";
import { ChannelList } from "./ChannelList";
import { Plot } from "./Plot";
import { SpeedPanel } from "./SpeedPanel";

/** Curves in the place of the lanes: channels on the left, their curves on the right. */
export function CurveView() {
  const _desk = useDesk();
  const prefs = useDeskState((s) => s.curves);
  const points = useDeskState((s) => s.points);
  const { channels, listed, shown, only, left } = useShown();
  const first = points[0];
  const active =
    shown.find((c) => first && c.channel === first.channel && c.curve.keys.some((k) => k.key === first.key)) ??
    shown[0];
  const { view, setView, rangeOf, tools } = useFit(shown);
  const onKey = useKeys(shown, active);
  return (
    <div className="curves">
      <ChannelList channels={listed} shown={shown} only={only} total={channels.length} left={left} />
      <div className="curves-main">
        <Tools shown={shown} active={active} fit={tools} />
        {/* biome-ignore lint/a11y/noStaticElementInteractions: keys of the plot inside */}
        <div className="curves-plot" onKeyDown={onKey}>
          {shown.length === 0 ? (
            <p className="soft curves-empty">
              {channels.length === 0
                ? "Nothing moves in this step. Select a part that moves, or show everything that does."
                : "No channel is shown. Choose some on the left."}
            </p>
          ) : prefs.speed ? (
            <SpeedPanel shown={shown} view={view} />
          ) : (
            <Plot shown={shown} active={active} view={view} setView={setView} rangeOf={rangeOf} />
          )}
        </div>
      </div>
    </div>
  );
}

/** The channels that are looked at: those of what is selected, or of what moves in the step. */
function useShown() {
  const desk = useDesk();
  const prefs = useDeskState((s) => s.curves);
  const version = useDeskState((s) => s.programVersion);
  // What is looked at stays while something else is selected there; it changes with what is selected elsewhere.
  const focus = useDeskState((s) => s.focus.kind);
  const selection = useDeskState((s) => s.selection);
  const group = useDeskState((s) => s.group);
  const pins = useDeskState((s) => s.pins);
  const marked = useDeskState((s) => s.marked);
  const step = useDeskState(() => desk.stepAtPlayhead()?.id ?? "");
  const held = useRef<{ targets: Target[]; step: string }>({ targets: [], step: "" });
  const targets = useMemo(() => {
    const nothing = selection.length === 0 && group === null && pins.length + marked.length === 0 && focus !== "camera";
    const known = held.current.targets.length > 0 && !prefs.all;
    const same = focus === "curve" || (nothing && focus !== "step" && held.current.step === step);
    if (!known || !same) held.current = { targets: shownTargets(desk, prefs.all), step };
    return held.current.targets;
  }, [desk, prefs.all, focus, selection, group, pins, marked, step, version]);
  const { few, left } = useMemo(() => fewTargets(desk, targets, prefs.search), [desk, targets, prefs.search]);
  const channels = useMemo(() => shownChannels(desk, few), [desk, few, version]);
  const { changing, search, hidden } = prefs;
  const listed = useMemo(
    () =>
      channels.filter(
        (c) => (!changing || c.changes) && `${c.owner} ${c.name}`.toLowerCase().includes(search.trim().toLowerCase()),
      ),
    [channels, changing, search],
  );
  const only = listed.some((c) => c.id === prefs.only) ? prefs.only : null;
  const shown = useMemo(
    () => listed.filter((c) => (only === null ? !hidden.includes(c.id) : c.id === only)),
    [listed, only, hidden],
  );
  return { channels, listed, shown, only, left };
}

/** What part of time and value is seen, and the acts that fit it to something. */
function useFit(shown: readonly Shown[]) {
  const desk = useDesk();
  const common = useDeskState((s) => s.curves.common);
  const length = Math.max(desk.program.steps.length, TICKS_PER_SECOND);
  const [view, setView] = useState<PlotView>({ t0: 0, t1: length, zoom: 1, pan: 0 });
  const ranges = useRef(new Map<string, Range>());
  const all = useRef<Range | null>(null);
  const over = (list: readonly Shown[], a: number, b: number) => {
    const reach = list.map((c) => reachOf(c, a, b));
    return roomy({ low: Math.min(...reach.map((r) => r.low)), high: Math.max(...reach.map((r) => r.high)) });
  };
  const rangeOf = (s: Shown): Range => {
    if (common) {
      all.current ??= over(shown, 0, length);
      return all.current;
    }
    let known = ranges.current.get(s.id);
    if (!known) {
      known = roomy(reachOf(s, 0, length));
      ranges.current.set(s.id, known);
    }
    return known;
  };
  const toValues = (a: number, b: number) => {
    ranges.current = new Map(shown.map((s) => [s.id, roomy(reachOf(s, a, b))]));
    all.current = shown.length > 0 ? over(shown, a, b) : null;
    setView({ t0: a, t1: b, zoom: 1, pan: 0 });
  };
  const fitted = (t0: number, t1: number) => {
    const room = Math.max((t1 - t0) * 0.03, TICKS_PER_SECOND / 20);
    toValues(Math.max(0, t0 - room), t1 + room);
  };
  const selection = () => {
    const { selection: parts, group, pins, marked, focus, points, curves } = desk.state;
    const nothing = parts.length + pins.length + marked.length + points.length === 0 && group === null;
    const here = desk.stepAtPlayhead();
    // With nothing selected it is the step that is looked at.
    if (nothing && !curves.all && focus.kind !== "camera" && here) {
      fitted(here.start, nth(desk.program.steps.end, here.position));
      return;
    }
    const chosen = new Set(points.map(pointId));
    const keys = shown.flatMap((s) => s.curve.keys.filter((k) => chosen.has(pointId(pointOf(s, k)))));
    const spans =
      keys.length > 0
        ? keys.map((k) => [Math.min(k.segment.t0, k.at), k.at] as const)
        : shown.flatMap((s) => {
            const edges = s.reader.edges();
            return edges.length > 0 ? [[nth(edges, 0), nth(edges, edges.length - 1)] as const] : [];
          });
    if (spans.length > 0)
      fitted(
        spans.reduce((m, s) => Math.min(m, s[0]), Number.POSITIVE_INFINITY),
        spans.reduce((m, s) => Math.max(m, s[1]), 0),
      );
  };
  const center = () => {
    const half = (view.t1 - view.t0) / 2;
    const t0 = Math.max(0, desk.state.ticks - half);
    setView({ ...view, t0, t1: t0 + 2 * half });
  };
  const fit = { all: () => fitted(0, length), selection, values: () => toValues(view.t0, view.t1), center };
  // What comes to be shown is fitted; edits leave the view alone.
  const ids = shown.map((s) => s.id).join();
  const wasShown = useRef("");
  const live = useRef({ ...fit, view });
  live.current = { ...fit, view };
  // The same things whatever is seen, so that what shows only them is not drawn again with every turn of the wheel.
  const [tools] = useState(() => ({
    all: () => live.current.all(),
    selection: () => live.current.selection(),
    values: () => live.current.values(),
    center: () => live.current.center(),
    view: () => live.current.view,
    set: setView,
    forget: () => {
      all.current = null;
    },
  }));
  useEffect(() => {
    if (wasShown.current === ids || ids === "") return;
    wasShown.current = ids;
    live.current.selection();
  }, [ids]);
  useEffect(() => {
    desk.timeline = {
      fitAll: () => live.current.all(),
      fitSelection: () => live.current.selection(),
      zoomBy: (k) => setView((v) => zoomed(v, (v.t0 + v.t1) / 2, 1 / k)),
    };
    return () => {
      desk.timeline = null;
    };
  }, [desk]);
  return { view, setView, rangeOf, tools };
}

/** Keys of the plot: what is selected is nudged, inserted, let go of. */
function useKeys(shown: readonly Shown[], active: Shown | undefined) {
  const desk = useDesk();
  return (e: React.KeyboardEvent) => {
    const big = e.shiftKey ? 10 : 1;
    const unit = active ? active.per * (active.kind === "plain" ? 0.01 : 1) : 1;
    const keys: Record<string, () => void> = {
      ArrowLeft: () => nudgePoints(desk, -big, 0),
      ArrowRight: () => nudgePoints(desk, big, 0),
      ArrowUp: () => nudgePoints(desk, 0, unit * big),
      ArrowDown: () => nudgePoints(desk, 0, -unit * big),
      Insert: () => active && insertPoint(desk, active, desk.state.ticks),
      Escape: () => selectPoints(desk, []),
    };
    if ((e.ctrlKey || e.metaKey) && e.key === "a") {
      e.preventDefault();
      e.stopPropagation();
      selectPoints(
        desk,
        shown.flatMap((s) => s.curve.keys.map((k) => pointOf(s, k))),
      );
      return;
    }
    const run = keys[e.key];
    if (!run || e.ctrlKey || e.altKey || (e.key.startsWith("Arrow") && desk.state.points.length === 0)) return;
    e.preventDefault();
    e.stopPropagation();
    run();
  };
}

/** The tools above the curves: what is plotted and how, and what part of it is seen. */
const Tools = memo(function Tools({
  shown,
  active,
  fit,
}: {
  shown: readonly Shown[];
  active: Shown | undefined;
  fit: ReturnType<typeof useFit>["tools"];
}) {
  const desk = useDesk();
  const prefs = useDeskState((s) => s.curves);
  const inTime = (factor: number) => {
    const v = fit.view();
    fit.set(zoomed(v, (v.t0 + v.t1) / 2, factor));
  };
  const inValue = (factor: number) => fit.set(zoomedValues(fit.view(), 0.5, factor));
  const button = (label: string, Icon: typeof Scan, run: () => void) => (
    <Tooltip title={label}>
      <Button size="small" type="text" aria-label={label} icon={<Icon size={14} />} onClick={run} />
    </Tooltip>
  );
  const flag = (on: boolean, label: string, tip: string, words: string, run: () => void) => (
    <Tooltip title={tip}>
      <Button size="small" type={on ? "default" : "text"} aria-label={label} aria-pressed={on} onClick={run}>
        {words}
      </Button>
    </Tooltip>
  );
  return (
    <div className="curves-tools">
      <Segmented
        size="small"
        aria-label="What is plotted"
        value={prefs.speed ? "speed" : "values"}
        onChange={(v) => setCurves(desk, { speed: v === "speed" })}
        options={[
          { value: "values", label: "Values" },
          { value: "speed", label: "Speed" },
        ]}
      />
      <Segmented
        size="small"
        aria-label="Time in"
        value={prefs.frames ? "f" : "s"}
        onChange={(v) => setCurves(desk, { frames: v === "f" })}
        options={[
          { value: "s", label: "s" },
          { value: "f", label: "frames" },
        ]}
      />
      {flag(
        prefs.overlaid,
        "Overlaid",
        prefs.overlaid ? "All curves on one ground" : "Each channel in a strip with an axis of its own",
        prefs.overlaid ? "Overlaid" : "Strips",
        () => setCurves(desk, { overlaid: !prefs.overlaid }),
      )}
      {flag(
        prefs.common,
        "One scale",
        prefs.common ? "All channels in one scale" : "Each channel in a scale of its own",
        prefs.common ? "One scale" : "Own scales",
        () => {
          fit.forget();
          setCurves(desk, { common: !prefs.common });
        },
      )}
      <Select
        size="small"
        aria-label="Dragging changes"
        value={prefs.lock}
        onChange={(lock) => setCurves(desk, { lock })}
        style={{ width: 132 }}
        options={[
          { value: "free", label: "Time and value" },
          { value: "time", label: "Time only" },
          { value: "value", label: "Value only" },
        ]}
      />
      <Behind shown={shown} />
      <div className="grow" />
      {button("Fit all (Shift+Home)", Maximize2, fit.all)}
      {button("Fit what is selected (Shift+End)", Scan, fit.selection)}
      {button("Fit values to what is seen", MoveVertical, fit.values)}
      {button("To the playhead", Crosshair, fit.center)}
      {button("Show less time (Ctrl+wheel)", UnfoldHorizontal, () => inTime(1 / 1.5))}
      {button("Show more time (Ctrl+wheel)", FoldHorizontal, () => inTime(1.5))}
      {button("Larger values (Alt+wheel)", UnfoldVertical, () => inValue(1.5))}
      {button("Smaller values (Alt+wheel)", FoldVertical, () => inValue(1 / 1.5))}
      <CurveMenu active={active} />
    </div>
  );
});

/** An earlier state behind the present curves, and the way back to it. */
function Behind({ shown }: { shown: readonly Shown[] }) {
  const desk = useDesk();
  const behind = useDeskState((s) => s.curves.behind);
  useDeskState((s) => s.earlier);
  useDeskState((s) => s.programVersion);
  const past = useDeskState((s) => s.past);
  const states = earlierStates(desk);
  const found = states.find((e) => e.id === behind);
  const lost = behind !== null && !found && past === null;
  // What was behind before the page was loaded comes back.
  useEffect(() => {
    if (lost) void loadPast(desk);
  }, [desk, lost]);
  return (
    <>
      <Select
        size="small"
        aria-label="Shown behind"
        style={{ width: 150 }}
        popupMatchSelectWidth={280}
        loading={past?.list === "asked"}
        onOpenChange={(open) => open && void loadPast(desk)}
        value={found ? found.id : ""}
        onChange={(id) => setCurves(desk, { behind: id === "" ? null : id })}
        options={[{ value: "", label: "Nothing behind" }, ...states.map((e) => ({ value: e.id, label: e.label }))]}
      />
      {found && (
        <Tooltip title="The channels that are shown become what is dotted">
          <Button
            size="small"
            onClick={() => {
              for (const s of shown) goBackTo(desk, s, found.body, found.label);
            }}
          >
            Go back to it
          </Button>
        </Tooltip>
      )}
    </>
  );
}

function CurveMenu({ active }: { active: Shown | undefined }) {
  const desk = useDesk();
  const prefs = useDeskState((s) => s.curves);
  const [thin, setThin] = useState(false);
  return (
    <>
      <More
        label="More with curves"
        menu={{
          items: [
            { key: "insert", label: "Point at the playhead (Insert)", disabled: !active },
            { key: "thin", label: "Thin out this channel", disabled: !active },
            { key: "remove", label: "Remove channels that never change" },
            { type: "divider" },
            { key: "fit", label: prefs.fit ? "Removing keeps the shape" : "Removing lets the shape go" },
          ],
          onClick: ({ key }) => {
            if (key === "insert" && active) insertPoint(desk, active, desk.state.ticks);
            if (key === "thin") setThin(true);
            if (key === "remove") removeUnchanging(desk);
            if (key === "fit") setCurves(desk, { fit: !prefs.fit });
          },
        }}
      />
      {thin && active && (
        <AskNumber
          title={`Thin out ${active.name} of ${active.owner}`}
          text="Points are taken out as long as the curve moves by no more than this."
          label="How far it may move"
          usual={
            valueText(
              active,
              (reachOf(active, 0, desk.program.steps.length).high - reachOf(active, 0, desk.program.steps.length).low) /
                200 || 0.01,
              3,
            )
              .split(" ")[0]
              ?.replace("°", "") ?? "0.1"
          }
          suffix={active.unit}
          onTake={(v) => {
            setThin(false);
            thinChannel(desk, active, v * active.per);
          }}
          onCancel={() => setThin(false)}
        />
      )}
    </>
  );
}
