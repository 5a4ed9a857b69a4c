"use client";
import { App, Progress } from "antd";
import { useCallback, useEffect, useRef, useState } from "react";
import { Group, Panel, Separator, useDefaultLayout, usePanelRef } from "react-resizable-panels";
import { beingMade, publishingOf } from "../../desk/background/publishing";
import { endRounds, roundsOf } from "../../desk/background/roundWatch";
import { watchStanding } from "../../desk/background/standing";
import { workTogether } from "../../desk/background/together";
import { watchTouched } from "../../desk/background/touched";
import { keepHeard, soundBytes } from "../../desk/sounds/heard";
import { endRecording } from "../../desk/sounds/recorder";
import { Sounding } from "../../desk/sounds/sounding";
import { browserSpeaker } from "../../player/speaker";
import { Details } from "../details/Details";
import { MovePalette } from "../moves/MovePalette";
import { PartsMenu } from "../parts/PartsMenu";
import { PartsTree } from "../parts/PartsTree";
import { PublishView } from "../publish/PublishView";
import { PORT } from "../publish/port";
import { HistoryDialog } from "../revision/HistoryDialog";
import { RereadDialog } from "../revision/RereadDialog";
import { RevisionDialog } from "../revision/RevisionDialog";
import { Timeline } from "../timeline/Timeline";
import { AskDialog } from "./AskDialog";
import { ChangesDialog } from "./ChangesDialog";
import { useDesk, useDeskState } from "./context";
import { Head } from "./Head";
import { OutDialog } from "./OutDialog";
import { RateDialog } from "./RateDialog";
import { ShortcutsDialog } from "./ShortcutsDialog";
import { StageView } from "./StageView";
import { StepsPanel } from "./StepsPanel";
import { useShortcuts } from "./useShortcuts";
import { WatchView } from "./WatchView";

/** Least height of the place below the stage when curves are opened, px. */
const CURVES_LEAST = 336;

/** Remembers a group's panel sizes in this browser. */
function useRemembered(id: string, panels: string[]) {
  return useDefaultLayout({
    id: `plextan-${id}`,
    panelIds: panels,
    storage: typeof window === "undefined" ? undefined : window.localStorage,
  } as never);
}

/** The desk: steps and parts left, stage in the middle, details right, timeline below. */
export function DeskView() {
  const desk = useDesk();
  const { message } = App.useApp();
  const notice = useDeskState((s) => s.notice);
  const dialog = useDeskState((s) => s.dialog);
  const version = useDeskState((s) => s.assemblyVersion);
  const smooth = useDeskState((s) => s.aids.smooth);
  const waiting = useDeskState((s) => s.waiting);
  const watching = useDeskState((s) => s.watching);
  const out = useDeskState((s) => s.out !== null);
  useShortcuts(desk);
  useEffect(() => {
    const sounding = new Sounding(desk, browserSpeaker);
    const stop = keepHeard(desk, soundBytes(desk));
    const leave = watchStanding(desk);
    roundsOf(desk);
    const untouched = watchTouched(desk);
    // A browser may be kept from hearing of others: for tests that share a project.
    const alone = localStorage.getItem("plextan-alone") ? () => {} : workTogether(desk);
    return () => {
      stop();
      leave();
      endRounds(desk);
      untouched();
      alone();
      sounding.dispose();
      endRecording(false);
      publishingOf(desk, PORT).dispose();
    };
  }, [desk]);
  useEffect(() => {
    if (!notice) return;
    if (notice.tone === "problem") message.error(notice.text, 6);
    else message.info(notice.text, 4);
  }, [notice, message]);
  // Leaving is warned of only while something would be lost by it.
  const onlyHere = useDeskState((s) => s.save.onlyHere > 0 || beingMade(desk) > 0);
  useEffect(() => {
    if (!onlyHere) return;
    const warn = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, [onlyHere]);
  const below = useDeskState((s) => s.below);
  const timeline = usePanelRef();
  const lanesHeight = useRef<number | null>(null);
  // Curves want more room than lanes; what the lanes had comes back with them.
  useEffect(() => {
    const panel = timeline.current;
    if (!panel) return;
    const now = panel.getSize().inPixels;
    if (below === "curves" && now < CURVES_LEAST) {
      lanesHeight.current = now;
      panel.resize(`${CURVES_LEAST}px`);
    } else if (below === "lanes" && lanesHeight.current !== null) {
      panel.resize(`${lanesHeight.current}px`);
      lanesHeight.current = null;
    }
  }, [below, timeline]);
  const parts = usePanelRef();
  const [folded, setFolded] = useState(false);
  const onParts = useCallback(() => setFolded(parts.current?.isCollapsed() === true), [parts]);
  const fold = useCallback((on: boolean) => (on ? parts.current?.collapse() : parts.current?.expand()), [parts]);
  const rows = useRemembered("rows", ["upper", "timeline"]);
  const columns = useRemembered("columns", ["left", "stage", "details"]);
  const left = useRemembered("left", ["steps", "parts"]);
  return (
    <div className="desk">
      <Head />
      <Group orientation="vertical" className="desk-rows" {...rows}>
        <Panel id="upper" minSize="30%">
          <Group orientation="horizontal" {...columns}>
            <Panel id="left" defaultSize="248px" minSize="190px">
              <Group orientation="vertical" {...left}>
                <Panel id="steps" defaultSize="64%" minSize="90px">
                  <StepsPanel />
                </Panel>
                <Separator className="bar-h" />
                <Panel id="parts" panelRef={parts} minSize="90px" collapsible collapsedSize="35px" onResize={onParts}>
                  <PartsTree key={version} folded={folded} onFold={fold} />
                </Panel>
              </Group>
            </Panel>
            <Separator className="bar-v" />
            <Panel id="stage" minSize="30%">
              {/* How a canvas smooths is settled when it is made. */}
              <StageView key={`${version} ${smooth}`} />
            </Panel>
            <Separator className="bar-v" />
            <Panel id="details" defaultSize="272px" minSize="230px">
              <Details />
            </Panel>
          </Group>
        </Panel>
        <Separator className="bar-h" />
        <Panel id="timeline" panelRef={timeline} defaultSize="214px" minSize="110px">
          <Timeline />
        </Panel>
      </Group>
      <PartsMenu />
      <AskDialog />
      {waiting && (
        <div className="desk-waiting" role="status">
          <div className="waiting-box">
            <p>{waiting.text} …</p>
            <Progress
              percent={waiting.share === null ? 100 : Math.round(waiting.share * 100)}
              status={waiting.share === null ? "active" : "normal"}
              showInfo={waiting.share !== null}
            />
          </div>
        </div>
      )}
      {watching !== null && <WatchView />}
      {dialog === "revision" && <RevisionDialog />}
      {dialog === "add-files" && <RevisionDialog beside />}
      {dialog === "reread" && <RereadDialog />}
      {dialog === "history" && <HistoryDialog />}
      {dialog === "moves" && <MovePalette />}
      {dialog === "publish" && <PublishView />}
      {dialog === "changes" && <ChangesDialog />}
      {dialog === "shortcuts" && <ShortcutsDialog />}
      {dialog === "rate" && <RateDialog />}
      {out && <OutDialog />}
    </div>
  );
}
