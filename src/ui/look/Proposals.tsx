"use client";
import { Button, Checkbox, Tooltip } from "antd";
import { useEffect, useState } from "react";
import type { Proposed } from "../../core/finish/proposals";
import { proposedGroups, proposeHere, takeProposed } from "../../desk/acts/proposing";
import { useDesk, useDeskState } from "../desk/context";

/** Finishes proposed from names and CAD colours: seen on the stage first, then taken, all or some kinds of them. */
export function Proposals() {
  const desk = useDesk();
  const proposed = useDeskState((s) => s.proposed);
  const [all, setAll] = useState<readonly Proposed[]>([]);
  // What is only proposed is not shown any longer than it is asked about.
  useEffect(() => () => desk.propose(null), [desk]);
  if (!proposed) {
    return (
      <Tooltip title="Finishes from part names, and CAD colours calmed; seen first, then taken">
        <Button
          size="small"
          onClick={() => {
            proposeHere(desk);
            setAll(desk.state.proposed ?? []);
          }}
        >
          Propose finishes
        </Button>
      </Tooltip>
    );
  }
  const shown = new Set(proposed.map((p) => p.kind));
  return (
    <section className="proposals" aria-label="Proposed finishes">
      <p className="tag-line">
        <span className="tag-word">proposed</span> shown on the stage, not taken yet
      </p>
      <ul className="plain">
        {proposedGroups(all).map(({ kind, title, list }) => (
          <li key={kind}>
            <Checkbox
              checked={shown.has(kind)}
              onChange={(e) =>
                desk.propose(all.filter((p) => (p.kind === kind ? e.target.checked : shown.has(p.kind))))
              }
            >
              <span className="proposal">
                {[...new Set(list.map((p) => p.finish.color))].slice(0, 5).map((color) => (
                  <span key={color} className="chip" style={{ background: color }} />
                ))}
                <span>{title}</span>
                <span className="number soft">{list.length}</span>
              </span>
            </Checkbox>
          </li>
        ))}
      </ul>
      <div className="row">
        <Button size="small" type="primary" disabled={proposed.length === 0} onClick={() => takeProposed(desk)}>
          Take {proposed.length === all.length ? "them" : `these ${proposed.length}`}
        </Button>
        <Button size="small" onClick={() => desk.propose(null)}>
          Leave as it is
        </Button>
      </div>
    </section>
  );
}
