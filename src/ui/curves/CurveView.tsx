"use client";
import { Button, Dropdown, Segmented, Select, Tooltip } from "antd";
import {
  Crosshair,
  FoldHorizontal,
  FoldVertical,
  Maximize2,
  MoreHorizontal,
  Scan,
  UnfoldHorizontal,
  UnfoldVertical,
} from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Target } from "../../core/document/sequence";
import { nth } from "../../core/math/packed";
import { TICKS_PER_SECOND } from "../../core/time/time";
import {
  goBackTo,
  insertPoint,
  nudgePoints,
  pointOf,
  removeUnchanging,
  selectPoints,
  setCurves,
  thinChannel,
} from "../../desk/acts/curveActions";
import { earlierStates, loadPast } from "../../desk/curves/earlier";
import { fewTargets, reachOf, type Shown, shownChannels, shownTargets, valueText } from "../../desk/curves/model";
import { type PlotView, type Range, roomy, type Size, zoomed } from "../../desk/curves/plotView";
import { AskNumber } from "../common/AskNumber";
import { useDesk, useDeskState } from "../desk/context";
import { ChannelList } from "./ChannelList";
import { Plot } from "./Plot";
import { SpeedPanel } from "./SpeedPanel";

/** Curves in the place of the lanes: channels on the left, their curves on the right. */
export function CurveView() {
  const desk = useDesk();
  const prefs = useDeskState((s) => s.curves);
  const version = useDeskState((s) => s.programVersion);
  const points = useDeskState((s) => s.points);
  // What is looked at stays while something else is selected there; it changes with what is selected elsewhere.
  const focus = useDeskState((s) => s.focus.kind);
  const selection = useDeskState((s) => s.selection);
  const group = useDeskState((s) => s.group);
  const pins = useDeskState((s) => s.pins);
  const marked = useDeskState((s) => s.marked);
  const held = useRef<Target[]>([]);
  const targets = useMemo(() => {
    const nothing = selection.length === 0 && group === null && pins.length + marked.length === 0 && focus !== "camera";
    if (!(prefs.all || held.current.length === 0) && (focus === "curve" || (nothing && focus !== "step")))
      return held.current;
    held.current = shownTargets(desk, prefs.all);
    return held.current;
  }, [desk, prefs.all, focus, selection, group, pins, marked, version]);
  const { few, left } = useMemo(() => fewTargets(desk, targets, prefs.search), [desk, targets, prefs.search]);
  const channels = useMemo(() => shownChannels(desk, few), [desk, few, version]);
  const listed = channels.filter(
    (c) =>
      (!prefs.changing || c.changes) &&
      `${c.owner} ${c.name}`.toLowerCase().includes(prefs.search.trim().toLowerCase()),
  );
  const only = listed.some((c) => c.id === prefs.only) ? prefs.only : null;
  const shown = listed.filter((c) => (only === null ? !prefs.hidden.includes(c.id) : c.id === only));
  const first = points[0];
  const active =
    shown.find((c) => first && c.channel === first.channel && c.curve.keys.some((k) => k.key === first.key)) ??
    shown[0];

  const length = Math.max(desk.program.steps.length, TICKS_PER_SECOND);
  const [view, setView] = useState<PlotView>({ t0: 0, t1: length, zoom: 1, pan: 0 });
  const ranges = useRef(new Map<string, Range>());
  const common = useRef<Range | null>(null);
  const size = useRef<Size>({ width: 0, height: 0 });
  const onSize = useCallback((s: Size) => {
    size.current = s;
  }, []);
  const rangeOf = (s: Shown): Range => {
    if (prefs.common) {
      if (!common.current) {
        const all = shown.map((c) => reachOf(c, 0, length));
        common.current = roomy({ low: Math.min(...all.map((r) => r.low)), high: Math.max(...all.map((r) => r.high)) });
      }
      return common.current;
    }
    let known = ranges.current.get(s.id);
    if (!known) {
      known = roomy(reachOf(s, 0, length));
      ranges.current.set(s.id, known);
    }
    return known;
  };
  const fitted = (t0: number, t1: number, over: readonly Shown[] = shown) => {
    const room = Math.max((t1 - t0) * 0.03, TICKS_PER_SECOND / 20);
    const [a, b] = [Math.max(0, t0 - room), t1 + room];
    ranges.current = new Map(over.map((s) => [s.id, roomy(reachOf(s, a, b))]));
    const all = over.map((s) => reachOf(s, a, b));
    common.current =
      all.length > 0
        ? roomy({ low: Math.min(...all.map((r) => r.low)), high: Math.max(...all.map((r) => r.high)) })
        : null;
    setView({ t0: a, t1: b, zoom: 1, pan: 0 });
  };
  const fitAll = () => fitted(0, length);
  const fitSelection = () => {
    const keys = shown.flatMap((s) =>
      s.curve.keys.filter((k) => points.some((p) => p.key === k.key && p.channel === s.channel)),
    );
    const spans =
      keys.length > 0
        ? keys.map((k) => [Math.min(k.segment.t0, k.at), k.at] as const)
        : shown.flatMap((s) =>
            s.reader.edges().length > 0 ? [[nth(s.reader.edges(), 0), s.reader.edges().at(-1) as number] as const] : [],
          );
    if (spans.length > 0) fitted(Math.min(...spans.map((s) => s[0])), Math.max(...spans.map((s) => s[1])));
  };
  // What comes to be shown is fitted; edits leave the view alone.
  const ids = shown.map((s) => s.id).join();
  const wasShown = useRef("");
  const fitNow = useRef(fitSelection);
  fitNow.current = fitSelection;
  useEffect(() => {
    if (wasShown.current === ids || ids === "") return;
    wasShown.current = ids;
    fitNow.current();
  }, [ids]);
  useEffect(() => {
    desk.timeline = {
      fitAll: () => live.current.fitAll(),
      fitSelection: () => live.current.fitSelection(),
      zoomBy: (k) => setView((v) => zoomed(v, (v.t0 + v.t1) / 2, 1 / k)),
    };
    return () => {
      desk.timeline = null;
    };
  }, [desk]);
  const live = useRef({ fitAll, fitSelection });
  live.current = { fitAll, fitSelection };

  const center = () => {
    const half = (view.t1 - view.t0) / 2;
    const t0 = Math.max(0, desk.state.ticks - half);
    setView({ ...view, t0, t1: t0 + 2 * half });
  };
  const onKey = (e: React.KeyboardEvent) => {
    const big = e.shiftKey ? 10 : 1;
    const unit = active ? active.per * (active.kind === "plain" ? 0.01 : active.kind === "angle" ? 1 : 1) : 1;
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
    if (!run || e.ctrlKey || e.altKey || (e.key.startsWith("Arrow") && points.length === 0)) return;
    e.preventDefault();
    e.stopPropagation();
    run();
  };
  const button = (label: string, Icon: typeof Scan, run: () => void) => (
    <Tooltip title={label}>
      <Button size="small" type="text" aria-label={label} icon={<Icon size={14} />} onClick={run} />
    </Tooltip>
  );
  return (
    <div className="curves">
      <ChannelList channels={listed} shown={shown} only={only} total={channels.length} left={left} />
      <div className="curves-main">
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
          <Tooltip title={prefs.common ? "All channels in one scale" : "Each channel in a scale of its own"}>
            <Button
              size="small"
              type={prefs.common ? "default" : "text"}
              aria-label="One scale"
              aria-pressed={prefs.common}
              onClick={() => {
                common.current = null;
                setCurves(desk, { common: !prefs.common });
              }}
            >
              {prefs.common ? "One scale" : "Own scales"}
            </Button>
          </Tooltip>
          <Select
            size="small"
            aria-label="Dragging changes"
            value={prefs.lock}
            onChange={(lock) => setCurves(desk, { lock })}
            style={{ width: 142 }}
            options={[
              { value: "free", label: "Time and value" },
              { value: "time", label: "Time only" },
              { value: "value", label: "Value only" },
            ]}
          />
          <Behind shown={shown} />
          <div className="grow" />
          {button("Fit all (Shift+Home)", Maximize2, fitAll)}
          {button("Fit what is selected (Shift+End)", Scan, fitSelection)}
          {button("To the playhead", Crosshair, center)}
          {button("Show less time (Ctrl+wheel)", UnfoldHorizontal, () =>
            setView(zoomed(view, (view.t0 + view.t1) / 2, 1 / 1.5)),
          )}
          {button("Show more time (Ctrl+wheel)", FoldHorizontal, () =>
            setView(zoomed(view, (view.t0 + view.t1) / 2, 1.5)),
          )}
          {button("Larger values (Alt+wheel)", UnfoldVertical, () =>
            setView({ ...view, zoom: Math.min(200, view.zoom * 1.5) }),
          )}
          {button("Smaller values (Alt+wheel)", FoldVertical, () =>
            setView({ ...view, zoom: Math.max(0.2, view.zoom / 1.5) }),
          )}
          <More active={active} />
        </div>
        {/* biome-ignore lint/a11y/noStaticElementInteractions: keys of the plot inside */}
        <div className="curves-plot" onKeyDown={onKey}>
          {shown.length === 0 ? (
            <p className="soft curves-empty">
              {channels.length === 0
                ? "Nothing of this moves. Select a part that moves, or show everything that does."
                : "No channel is shown. Choose some on the left."}
            </p>
          ) : prefs.speed ? (
            <SpeedPanel shown={shown} view={view} />
          ) : (
            <Plot shown={shown} active={active} view={view} setView={setView} rangeOf={rangeOf} onSize={onSize} />
          )}
        </div>
      </div>
    </div>
  );
}

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

function More({ active }: { active: Shown | undefined }) {
  const desk = useDesk();
  const prefs = useDeskState((s) => s.curves);
  const [thin, setThin] = useState(false);
  return (
    <>
      <Dropdown
        trigger={["click"]}
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
      >
        <Button size="small" type="text" aria-label="More with curves" icon={<MoreHorizontal size={15} />} />
      </Dropdown>
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
