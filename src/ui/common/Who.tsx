"use client";
import { App, Button, Dropdown } from "antd";
import { UserRound } from "lucide-react";
import { useEffect, useState } from "react";
import { problemOf } from "../../core/text/problem";
import { json, signedOut, signInAs, type WhoAmI } from "../../desk/api";

/**
 * Who one is, and in the demo, who else one could be.
 * @param waiting what keeps one from going, in words: work that is not saved yet
 */
export function Who({ waiting, small = false }: { waiting?: () => string | null; small?: boolean }) {
  const { message } = App.useApp();
  const [me, setMe] = useState<WhoAmI | null>(null);
  useEffect(() => {
    let gone = false;
    if (!signedOut())
      json<WhoAmI>("/api/session").then(
        (answer) => gone || setMe(answer),
        // Whoever cannot be reached is said by what is asked for next.
        () => {},
      );
    return () => {
      gone = true;
    };
  }, []);
  if (!me) return null;
  const become = async (id: string) => {
    const why = waiting?.() ?? null;
    if (why !== null) {
      message.warning(why, 6);
      return;
    }
    try {
      await signInAs(id);
      location.reload();
    } catch (e) {
      message.error(problemOf(e), 6);
    }
  };
  const label = `${me.name}, ${me.role}`;
  const others = me.others.map((p) => ({ key: p.id, label: `${p.name}, ${p.role}` }));
  return (
    <Dropdown
      trigger={["click"]}
      menu={{
        items: [
          { key: "me", type: "group", label },
          ...(others.length > 0
            ? [
                {
                  key: "others",
                  type: "group" as const,
                  label: "This is a demo: sign in as someone else",
                  children: others,
                },
              ]
            : []),
        ],
        onClick: ({ key }) => void become(key),
      }}
    >
      <Button
        size={small ? "small" : "middle"}
        type="text"
        title={label}
        aria-label={`Signed in as ${label}`}
        icon={<UserRound size={16} />}
      >
        {small ? null : me.name}
      </Button>
    </Dropdown>
  );
}
