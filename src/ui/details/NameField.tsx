"use client";
import { Input } from "antd";
import { useEffect, useState } from "react";
import type { PartTarget } from "../../core/document/parts";
import { rename } from "../../desk/acts/partActions";
import { targetName } from "../../desk/names";
import { useDesk } from "../desk/context";

/** The name of a part or group. Emptying it gives a part its CAD name back. */
export function NameField({ target, name }: { target: PartTarget; name: string }) {
  const desk = useDesk();
  const [text, setText] = useState(name);
  useEffect(() => setText(name), [name]);
  const over = text.trim().length > 200;
  const take = () => {
    if (over) return;
    rename(desk, target, text);
    setText(targetName(desk, target));
  };
  return (
    <>
      <Input
        size="small"
        aria-label={target.type === "group" ? "Group name" : "Part name"}
        value={text}
        status={over ? "error" : ""}
        onChange={(e) => setText(e.target.value)}
        onBlur={take}
        onPressEnter={take}
        onKeyDown={(e) => e.key === "Escape" && setText(name)}
      />
      {over && (
        <p className="problem" role="alert">
          A name may have at most 200 characters; this has {text.length.toLocaleString("en")}.
        </p>
      )}
    </>
  );
}
