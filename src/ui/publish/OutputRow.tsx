"use client";
import { Button, Progress } from "antd";
import {
  Box,
  CircleCheck,
  Download,
  FileText,
  Film,
  Image,
  Images,
  type LucideIcon,
  MousePointerClick,
  Repeat,
  Square,
  Text,
} from "lucide-react";
import type { Output } from "../../core/document/outputs";
import { outputKindOf } from "../../core/outputs/kinds";
import { madeOf, publishingOf } from "../../desk/background/publishing";
import type { Making } from "../../desk/state";
import { useDesk } from "../desk/context";
import { PORT } from "./port";
import { sizeText } from "./sizeText";

const ICONS: Readonly<Record<string, LucideIcon>> = {
  video: Film,
  loop: Repeat,
  still: Image,
  frames: Images,
  page: MousePointerClick,
  sheets: FileText,
  scene: Box,
  captions: Text,
};

/** One output in the list: what it is, and what becomes of it. */
export function OutputRow({
  output,
  kept,
  chosen,
  marked,
  making,
  onChoose,
}: {
  output: Output;
  kept: boolean;
  chosen: boolean;
  /** Among several that are made in one go. */
  marked: boolean;
  making: Making | undefined;
  /** @param how it goes with what is marked: alone, one more or less, or all up to it */
  onChoose(id: string, how: "alone" | "also" | "upTo"): void;
}) {
  const desk = useDesk();
  const how = (e: { ctrlKey: boolean; metaKey: boolean; shiftKey: boolean }) =>
    e.shiftKey ? "upTo" : e.ctrlKey || e.metaKey ? "also" : "alone";
  const title = outputKindOf(output.kind)?.title ?? output.kind;
  const Icon = ICONS[output.kind] ?? Square;
  return (
    <div
      role="option"
      aria-selected={chosen || marked}
      tabIndex={0}
      className={`output ${chosen ? "chosen" : ""} ${marked ? "marked" : ""}`}
      onClick={(e) => onChoose(output.id, how(e))}
      onKeyDown={(e) => {
        if (e.target !== e.currentTarget || (e.key !== "Enter" && e.key !== " ")) return;
        e.preventDefault();
        onChoose(output.id, how(e));
      }}
    >
      <Icon size={15} className="output-icon" aria-hidden />
      <span className="output-name">
        {output.name}
        {!kept && <span className="soft"> not kept yet</span>}
      </span>
      {!making && !output.name.startsWith(title) && <span className="output-kind soft">{title}</span>}
      {making?.state === "waiting" && <span className="soft">waiting</span>}
      {making?.state === "busy" && (
        <span className="output-share">
          <Progress percent={Math.floor(making.share * 100)} size="small" aria-label={`Making ${output.name}`} />
        </span>
      )}
      {making?.state === "failed" && <span className="problem">not made</span>}
      {making?.state === "done" && (
        <>
          <span className="number soft">{sizeText(making.size)}</span>
          {making.quick ? (
            <span className="soft">quick look</span>
          ) : making.of === madeOf(desk, output) ? (
            <CircleCheck size={14} className="output-good" aria-label="As it is now" />
          ) : (
            <span className="soft">older</span>
          )}
          <Button
            size="small"
            type="text"
            aria-label={`Download ${making.name}`}
            icon={<Download size={14} />}
            href={making.url}
            download={making.name}
            onClick={(e) => e.stopPropagation()}
          />
        </>
      )}
      {(making?.state === "waiting" || making?.state === "busy") && (
        <Button
          size="small"
          type="text"
          aria-label={`Stop making ${output.name}`}
          onClick={(e) => {
            e.stopPropagation();
            publishingOf(desk, PORT).stop(output.id);
          }}
        >
          Stop
        </Button>
      )}
    </div>
  );
}
