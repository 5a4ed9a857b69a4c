"use client";
import { App, Button, Input, Select } from "antd";
import { Copy } from "lucide-react";

/** A link that is about to be made. */
export interface LinkWish {
  may: "look" | "comment" | "decide";
  /** Those it is for; none for anybody who has it. */
  names: string[];
  days: number;
  password: string;
}

export const FIRST_LINK: LinkWish = { may: "decide", names: [], days: 30, password: "" };

/** A wish as the server takes it. */
export const linkBody = (l: LinkWish) => ({
  may: l.may,
  names: l.names.length > 0 ? l.names : null,
  days: l.days > 0 ? l.days : null,
  password: l.password || null,
});

const DAYS = [
  { value: 7, label: "7 days" },
  { value: 30, label: "30 days" },
  { value: 90, label: "90 days" },
  { value: 0, label: "until withdrawn" },
];

/** Who a link is for, what they may do, and for how long. */
export function LinkFields({ value, onChange }: { value: LinkWish; onChange: (link: LinkWish) => void }) {
  return (
    <div className="form link-form">
      <label htmlFor="link-may">They may</label>
      <Select
        id="link-may"
        value={value.may}
        onChange={(may) => onChange({ ...value, may })}
        options={[
          { value: "look", label: "look only" },
          { value: "comment", label: "look and comment" },
          { value: "decide", label: "look, comment and decide" },
        ]}
      />
      <label htmlFor="link-names">For</label>
      <Select
        id="link-names"
        mode="tags"
        open={false}
        suffixIcon={null}
        placeholder="anybody who has the link, or names"
        value={value.names}
        onChange={(names) => onChange({ ...value, names })}
      />
      <label htmlFor="link-days">Good for</label>
      <Select id="link-days" value={value.days} onChange={(days) => onChange({ ...value, days })} options={DAYS} />
      <label htmlFor="link-password">Password</label>
      <Input
        id="link-password"
        placeholder="none"
        autoComplete="off"
        value={value.password}
        onChange={(e) => onChange({ ...value, password: e.target.value })}
      />
    </div>
  );
}

/** A link that was just made, to be handed over. */
export function LinkShown({ link }: { link: string }) {
  const { message } = App.useApp();
  return (
    <div className="link-shown">
      <code className="breakable" data-testid="review-link">
        {link}
      </code>
      <div className="row">
        <Button
          size="small"
          icon={<Copy size={14} />}
          onClick={() =>
            navigator.clipboard.writeText(link).then(
              () => message.info("Copied."),
              () => message.error("The browser does not let the link be copied. Select it by hand."),
            )
          }
        >
          Copy
        </Button>
        <span className="soft">It is shown this once.</span>
      </div>
    </div>
  );
}
