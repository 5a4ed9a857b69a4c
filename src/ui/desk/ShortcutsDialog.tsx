"use client";
import { Modal } from "antd";
import { useDesk } from "./context";
import { SHORTCUTS } from "./shortcuts";

const show = (keys: string) => keys.replace("Arrow", "").split("+");

export function ShortcutsDialog() {
  const desk = useDesk();
  return (
    <Modal
      open
      title="Keyboard shortcuts"
      footer={null}
      width={760}
      style={{ top: 40 }}
      onCancel={() => desk.set({ dialog: null })}
    >
      <div className="shortcuts">
        {SHORTCUTS.map((s) => (
          <div key={s.keys} className="shortcut">
            <span>
              {show(s.keys).map((k) => (
                <kbd key={k}>{k}</kbd>
              ))}
            </span>
            <span>{s.what}</span>
          </div>
        ))}
      </div>
      <p className="soft">
        On the stage: drag to orbit, Shift or the right button to pan, wheel to zoom toward the pointer, click to
        select, double-click to climb to the sub-assembly. Hold Alt while dragging a handle for no snapping.
      </p>
    </Modal>
  );
}
