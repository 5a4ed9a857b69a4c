"use client";
import { Modal } from "antd";
import { useDesk } from "./context";
import { SHORTCUTS } from "./shortcuts";

const show = (keys: string) => keys.replace("Arrow", "").replace("Ctrl", "Ctrl").split("+");

export function ShortcutsDialog() {
  const desk = useDesk();
  return (
    <Modal open title="Keyboard shortcuts" footer={null} width={560} onCancel={() => desk.set({ dialog: null })}>
      <table className="shortcuts">
        <tbody>
          {SHORTCUTS.map((s) => (
            <tr key={s.keys}>
              <td>
                {show(s.keys).map((k) => (
                  <kbd key={k}>{k}</kbd>
                ))}
              </td>
              <td>{s.what}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="soft">
        On the stage: drag to orbit, Shift or the right button to pan, wheel to zoom toward the pointer, click to select, double-click to climb to the sub-assembly. Hold Alt while
        dragging a handle for no snapping.
      </p>
    </Modal>
  );
}
