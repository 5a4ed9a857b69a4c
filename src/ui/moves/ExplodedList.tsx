"use client";
import { Button } from "antd";
import { targetId } from "../../core/document/keys";
import type { MadeMove } from "../../core/document/sequence";
import type { Triple } from "../../core/math/triple";
import type { ExplodedPart } from "../../core/moves/explodedView";
import { formatNumber } from "../../core/units/units";
import { changeSettings } from "../../desk/acts/moveActions";
import { pickDirection } from "../../desk/acts/pickDirection";
import { targetName } from "../../desk/names";
import type { MoveRef } from "../../desk/selection/refs";
import { chooseParts, partsOf } from "../../desk/selection/selecting";
import { LongList } from "../common/LongList";
import { More } from "../common/More";
import { useDesk } from "../desk/context";
import { ValueField } from "../details/ValueField";

/** The parts of an exploded view in the order they go: distance, order and direction of each. */
export function ExplodedList({
  move,
  at,
  planned,
}: {
  move: Extract<MadeMove, { kind: "explode" }>;
  at: MoveRef | null;
  /** What the last plan said of each part, so that a change by hand can be taken back for one part alone. */
  planned: Readonly<Record<string, ExplodedPart>>;
}) {
  const desk = useDesk();
  const { parts } = move.settings;
  const list = Object.entries(parts).sort((a, b) => a[1].order - b[1].order);
  const targets = new Map(move.targets.map((t) => [targetId(t), t]));
  const put = (changed: Record<string, ExplodedPart>) => changeSettings(desk, at, { parts: { ...parts, ...changed } });
  const swap = (i: number, j: number) => {
    const [a, b] = [list[i], list[j]];
    if (!a || !b) return;
    put({
      [a[0]]: { ...a[1], order: b[1].order, byHand: true },
      [b[0]]: { ...b[1], order: a[1].order, byHand: true },
    });
  };
  return (
    <LongList
      ordered
      className="exploded scrolling"
      label="Parts of the exploded view"
      rowHeight={30}
      items={list}
      keyOf={([id]) => id}
      row={([id, p], i) => {
        const target = targets.get(id);
        const name = target ? targetName(desk, target) : id.slice(id.lastIndexOf("/") + 1);
        const one = (change: Partial<ExplodedPart>) => put({ [id]: { ...p, ...change, byHand: true } });
        const acts: Record<string, () => void> = {
          earlier: () => swap(i, i - 1),
          later: () => swap(i, i + 1),
          flip: () => one({ direction: p.direction.map((v) => 0 - v) as Triple }),
          pick: () => pickDirection(desk, `Which way does ${name} go?`, (direction) => one({ direction })),
          plan: () => put({ [id]: { ...(planned[id] ?? p), byHand: false } }),
        };
        return (
          <li className="row">
            <span className="number soft">{i + 1}</span>
            <Button
              size="small"
              type="text"
              className="grow exploded-name"
              title={`Along ${p.direction.map((v) => formatNumber(v, 2)).join(" ")}. Select it to drag it along its line.`}
              onClick={() => target && chooseParts(desk, { ...desk.state.selected, parts: partsOf(desk, target) })}
            >
              <span className="ellipsis">{p.byHand ? `${name} (by hand)` : name}</span>
            </Button>
            <ValueField
              ariaLabel={`Distance of ${name}`}
              kind="length"
              value={p.distance}
              take={(distance) => {
                one({ distance });
                return null;
              }}
            />
            <More
              label={`More about ${name} in the exploded view`}
              menu={{
                items: [
                  { key: "earlier", label: "Goes earlier", disabled: i === 0 },
                  { key: "later", label: "Goes later", disabled: i === list.length - 1 },
                  { key: "flip", label: "The other way" },
                  { key: "pick", label: "Pick its direction" },
                  { key: "plan", label: "As planned again", disabled: !p.byHand },
                ],
                onClick: ({ key }) => acts[key]?.(),
              }}
            />
          </li>
        );
      }}
    />
  );
}
