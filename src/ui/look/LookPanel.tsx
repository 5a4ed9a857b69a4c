"use client";
import { Button, Input, Select, Space, Tooltip } from "antd";
import { Eye } from "lucide-react";
import { useState } from "react";
import type { Look } from "../../core/document/looks";
import type { Preparation } from "../../core/document/preparation";
import { freshId } from "../../core/edit/id";
import {
  applyLook,
  duplicateLook,
  lookNow,
  removeLook,
  renameLook,
  saveLook,
  setDefaultLook,
  updateLook,
} from "../../core/edit/preparationCommands";
import type { Desk } from "../../desk/port";
import { More } from "../common/More";
import { useDesk, useDeskState } from "../desk/context";
import { Proposals } from "./Proposals";
import { SurroundingsForm } from "./SurroundingsForm";

/** Width and height of a look's picture, pixels: small enough to be kept in the document. */
const THUMB = { width: 192, height: 120 } as const;
const THUMB_MAX = 78_000;

/** A small picture of what is shown now, as a data address; null where the browser gives none small enough. */
async function lookPicture(desk: Desk): Promise<string | null> {
  try {
    const blob = await desk.view?.still(THUMB.width, THUMB.height, "view", "image/jpeg");
    if (!blob) return null;
    const text = await new Promise<string>((resolve, reject) => {
      const reader = new FileReader();
      reader.onload = () => resolve(String(reader.result));
      reader.onerror = () => reject(new Error("The picture could not be read."));
      reader.readAsDataURL(blob);
    });
    return text.length <= THUMB_MAX ? text : null;
  } catch {
    return null;
  }
}

/** True when what is shown now is just what a look holds. */
function isWorn(preparation: Preparation, look: Look): boolean {
  const now = lookNow(preparation);
  return JSON.stringify(now.surroundings) === JSON.stringify(look.surroundings) && sameNodes(now.nodes, look.nodes);
}
function sameNodes(a: Look["nodes"], b: Look["nodes"]): boolean {
  const keys = Object.keys(a);
  return keys.length === Object.keys(b).length && keys.every((k) => JSON.stringify(a[k]) === JSON.stringify(b[k]));
}

/** Looks of the project, and the surroundings that are shown now. */
export function LookPanel() {
  const desk = useDesk();
  const preparation = useDeskState((s) => s.preparation.body);
  const comparing = useDeskState((s) => s.comparing);
  const [naming, setNaming] = useState<{ id: string | null; name: string } | null>(null);
  const looks = Object.values(preparation.looks);
  const take = async () => {
    const name = naming?.name.trim();
    if (!naming || !name) return;
    const done =
      naming.id === null
        ? desk.prepare(`Save look "${name}"`, saveLook(freshId(), name, await lookPicture(desk)))
        : desk.prepare(`Rename look to "${name}"`, renameLook(naming.id, name));
    if (done || (naming.id !== null && preparation.looks[naming.id]?.name === name)) setNaming(null);
  };
  const run = async (look: Look, key: string) => {
    if (key === "update") desk.prepare(`Update look "${look.name}"`, updateLook(look.id, await lookPicture(desk)));
    if (key === "duplicate") desk.prepare(`Duplicate look "${look.name}"`, duplicateLook(look.id, freshId()));
    if (key === "rename") setNaming({ id: look.id, name: look.name });
    if (key === "remove") desk.prepare(`Remove look "${look.name}"`, removeLook(look.id));
  };
  return (
    <>
      <h3>Look</h3>
      <p className="soft">A look holds finishes, what is visible, light, ground and backdrop, under a name.</p>
      {looks.length > 0 && (
        <ul className="plain looks" aria-label="Looks">
          {looks.map((look) => {
            const worn = isWorn(preparation, look);
            return (
              <li key={look.id} className={`look ${worn ? "worn" : ""}`}>
                <button
                  type="button"
                  className="look-main"
                  aria-pressed={worn}
                  title={worn ? "Worn now" : "Put it on"}
                  onClick={() => desk.prepare(`Put on look "${look.name}"`, applyLook(look.id))}
                >
                  {look.thumbnail ? <img src={look.thumbnail} alt="" /> : <span className="look-empty" />}
                  <span className="look-text">
                    <span className="ellipsis">{look.name}</span>
                    <span className="soft">
                      {worn ? "worn now" : "put on"}
                      {preparation.defaultLook === look.id ? " · default" : ""}
                    </span>
                  </span>
                </button>
                {!worn && (
                  <Tooltip title="Hold to see it beside what is shown now">
                    <Button
                      size="small"
                      type="text"
                      aria-label={`Compare with ${look.name}`}
                      aria-pressed={comparing === look.id}
                      icon={<Eye size={14} />}
                      onPointerDown={() => desk.compareLook(look.id)}
                      onPointerUp={() => desk.compareLook(null)}
                      onPointerLeave={() => comparing !== null && desk.compareLook(null)}
                      onKeyDown={(e) =>
                        (e.key === " " || e.key === "Enter") && comparing === null && desk.compareLook(look.id)
                      }
                      onKeyUp={() => desk.compareLook(null)}
                      onBlur={() => comparing !== null && desk.compareLook(null)}
                    />
                  </Tooltip>
                )}
                <More
                  label={`Look ${look.name}: more`}
                  menu={{
                    items: [
                      { key: "update", label: "Make it what is shown now", disabled: worn && look.thumbnail !== null },
                      { key: "duplicate", label: "Duplicate" },
                      { key: "rename", label: "Rename" },
                      { key: "remove", label: "Remove", danger: true },
                    ],
                    onClick: ({ key }) => void run(look, key),
                  }}
                />
              </li>
            );
          })}
        </ul>
      )}
      {naming ? (
        <Space.Compact block>
          <Input
            size="small"
            autoFocus
            aria-label="Name of the look"
            placeholder="such as Service"
            maxLength={200}
            value={naming.name}
            onChange={(e) => setNaming({ ...naming, name: e.target.value })}
            onPressEnter={() => void take()}
            onKeyDown={(e) => e.key === "Escape" && setNaming(null)}
          />
          <Button size="small" type="primary" disabled={!naming.name.trim()} onClick={() => void take()}>
            {naming.id === null ? "Save" : "Rename"}
          </Button>
        </Space.Compact>
      ) : (
        <Button size="small" onClick={() => setNaming({ id: null, name: "" })}>
          Save what is shown as a look
        </Button>
      )}
      {looks.length > 0 && (
        <div className="form look-default">
          <span>Sequences begin with</span>
          <Select
            size="small"
            aria-label="Default look"
            value={preparation.defaultLook ?? ""}
            onChange={(v) => desk.prepare("Default look", setDefaultLook(v === "" ? null : v))}
            options={[
              { value: "", label: "what is on the desk" },
              ...looks.map((l) => ({ value: l.id, label: l.name })),
            ]}
          />
        </div>
      )}
      <Proposals />
      <h4>Surroundings</h4>
      <SurroundingsForm />
    </>
  );
}
