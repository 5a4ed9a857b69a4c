"use client";
import { Button, Modal } from "antd";
import { FileDown } from "lucide-react";
import { saveWaiting } from "./ChangesDialog";
import { useDesk, useDeskState } from "./context";

/**
 * Over everything: whoever sits here may not be here any longer, or has to sign in again. What only this page holds
 * is offered as a file first.
 */
export function OutDialog() {
  const desk = useDesk();
  const out = useDeskState((s) => s.out);
  const waiting = useDeskState((s) => s.save.waiting);
  return (
    <Modal
      open
      title="You are out"
      closable={false}
      keyboard={false}
      mask={{ closable: false }}
      styles={{ mask: { background: "var(--paper)" } }}
      zIndex={1300}
      width={480}
      footer={null}
    >
      <p role="alert">{out}</p>
      {waiting > 0 ? (
        <>
          <p>
            {waiting === 1 ? "One change is" : `${waiting} changes are`} not saved. As a file they can be taken in
            again, by you or by somebody else: at the desk, under what is said about saving.
          </p>
          <div className="row wrap">
            <Button type="primary" icon={<FileDown size={14} />} onClick={() => saveWaiting(desk)}>
              Save what is not saved to a file
            </Button>
            <SignIn text="Leave without it" />
          </div>
        </>
      ) : (
        <>
          <p>Everything that was done here is saved.</p>
          <div className="row">
            <SignIn text="Sign in" />
          </div>
        </>
      )}
    </Modal>
  );
}

const SignIn = ({ text }: { text: string }) => (
  <Button href={`/sign-in?to=${encodeURIComponent(location.pathname)}`}>{text}</Button>
);
