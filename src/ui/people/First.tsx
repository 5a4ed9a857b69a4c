"use client";
import { Alert, Form, Input } from "antd";
import { plain } from "../../desk/api";
import { Door, DoorForm } from "./Door";
import { EmailField, NameField, NewPasswordField } from "./fields";
import { useSecret } from "./secret";

interface Values {
  workspace: string;
  name: string;
  email: string;
  password: string;
}

/** Makes the first owner of a fresh installation. */
export function First() {
  const token = useSecret();
  if (token === null) return null;
  return (
    <Door title="Make the first owner">
      <p className="soft">
        This installation is empty. Its first owner invites the others, and decides what each of them is.
      </p>
      {token === "" && (
        <Alert
          type="warning"
          title="The address is not whole: open it as the start command printed it, to its last letter."
        />
      )}
      <DoorForm<Values>
        action="Make workspace and owner"
        onGo={async (values) => {
          await plain("/api/first", "POST", { token, ...values }, true);
          location.assign("/");
        }}
      >
        <Form.Item
          name="workspace"
          label="Workspace"
          extra="What its people share, such as the firm's or the team's name."
          rules={[{ required: true, message: "Name the workspace." }]}
        >
          <Input size="large" autoComplete="organization" maxLength={200} autoFocus />
        </Form.Item>
        <NameField />
        <EmailField />
        <NewPasswordField />
      </DoorForm>
    </Door>
  );
}
