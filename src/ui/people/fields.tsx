"use client";
import { Form, Input } from "antd";

/** The field of an address that is signed in with. */
export function EmailField({ autoFocus = false }: { autoFocus?: boolean }) {
  return (
    <Form.Item name="email" label="E-mail address" rules={[{ required: true, message: "Type your e-mail address." }]}>
      <Input size="large" autoComplete="username" inputMode="email" autoFocus={autoFocus} />
    </Form.Item>
  );
}

/** The field of a password one has. */
export function PasswordField({ name = "password", label = "Password" }: { name?: string; label?: string }) {
  return (
    <Form.Item name={name} label={label} rules={[{ required: true, message: "Type your password." }]}>
      <Input.Password size="large" autoComplete="current-password" />
    </Form.Item>
  );
}

/** The field of a password that is being chosen. It is judged by the server, which knows the common ones. */
export function NewPasswordField({ name = "password", autoFocus = false }: { name?: string; autoFocus?: boolean }) {
  return (
    <Form.Item
      name={name}
      label="New password"
      extra="At least 10 characters; a few words make a good one."
      rules={[{ required: true, message: "Choose a password." }]}
    >
      <Input.Password size="large" autoComplete="new-password" autoFocus={autoFocus} />
    </Form.Item>
  );
}

/** The field of one's own name. */
export function NameField() {
  return (
    <Form.Item
      name="name"
      label="Your name"
      extra="As the others read it."
      rules={[{ required: true, message: "Type your name." }]}
    >
      <Input size="large" autoComplete="name" maxLength={100} />
    </Form.Item>
  );
}
