"use client";
import { Button } from "antd";
import { setAids } from "../../desk/acts/preferences";
import { useDesk, useDeskState } from "../desk/context";

/** Stands where the result of looking after the framing will be, or says that it is switched off. */
export function Looking() {
  const desk = useDesk();
  const on = useDeskState((s) => s.aids.framing);
  if (on) return <p className="soft">Looking …</p>;
  return (
    <p className="soft">
      Not looked after.{" "}
      <Button size="small" onClick={() => setAids(desk, { framing: true })}>
        Look after the framing
      </Button>
    </p>
  );
}
