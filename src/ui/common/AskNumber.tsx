"use client";
import { Input, Modal } from "antd";
import { useState } from "react";

/** Asks for one number above nil. */
export function AskNumber(props: {
  title: string;
  text: string;
  label: string;
  usual: string;
  suffix?: string;
  onTake: (value: number) => void;
  onCancel: () => void;
}) {
  const [text, setText] = useState(props.usual);
  const value = Number(text.replace(",", "."));
  const good = text.trim() !== "" && Number.isFinite(value) && value > 0;
  return (
    <Modal
      open
      title={props.title}
      width={400}
      okText="Do it"
      okButtonProps={{ disabled: !good }}
      onOk={() => good && props.onTake(value)}
      onCancel={props.onCancel}
    >
      <p>{props.text}</p>
      <div className="row">
        <span>{props.label}</span>
        <Input
          autoFocus
          size="small"
          aria-label={props.label}
          style={{ width: 110 }}
          value={text}
          suffix={props.suffix}
          status={good ? "" : "error"}
          onChange={(e) => setText(e.target.value)}
          onPressEnter={() => good && props.onTake(value)}
        />
      </div>
      {!good && <p className="problem">A number above 0.</p>}
    </Modal>
  );
}
