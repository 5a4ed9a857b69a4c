"use client";
import { Button, Modal } from "antd";
import { useDesk, useDeskState } from "./context";

/** Asks whether values or poses stay when a change would move what is keyed. */
export function AskDialog() {
  const desk = useDesk();
  const asking = useDeskState((s) => s.asking);
  if (!asking) return null;
  const close = (act?: () => void) => {
    desk.set({ asking: null });
    act?.();
  };
  return (
    <Modal
      open
      title={asking.title}
      width={460}
      onCancel={() => close()}
      footer={[
        <Button key="no" onClick={() => close()}>
          Change nothing
        </Button>,
        ...(
          asking.answers ?? [
            { label: "Keep the values", act: asking.keepValues },
            { label: "Keep the poses", act: asking.keepPoses },
          ]
        ).map((a, i, all) => (
          <Button key={a.label} type={i === all.length - 1 ? "primary" : "default"} onClick={() => close(a.act)}>
            {a.label}
          </Button>
        )),
      ]}
    >
      <p>{asking.text}</p>
      <ul>
        {asking.lines.map((l) => (
          <li key={l}>{l}</li>
        ))}
      </ul>
    </Modal>
  );
}
