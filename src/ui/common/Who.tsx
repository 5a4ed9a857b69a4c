"use client";
import { App, Button, Dropdown } from "antd";
import { UserRound } from "lucide-react";
import { useRouter } from "next/navigation";
import { useEffect, useState } from "react";
import { problemOf } from "../../core/text/problem";
import { json, signedOut, signInAs, signOut, type WhoAmI } from "../../desk/api";

/**
 * Who one is, and in the demo, who else one could be.
 * @param waiting what keeps one from going, in words: work that is not saved yet
 */
export function Who({ waiting, small = false }: { waiting?: () => string | null; small?: boolean }) {
  const { message } = App.useApp();
  const router = useRouter();
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
  const choose = async (key: string) => {
    const why = waiting?.() ?? null;
    if (why !== null) {
      message.warning(why, 6);
      return;
    }
    if (key.startsWith("/")) router.push(key);
    else if (key === "out") {
      await signOut();
      location.assign("/sign-in");
    } else {
      try {
        await signInAs(key);
        location.reload();
      } catch (e) {
        message.error(problemOf(e), 6);
      }
    }
  };
  const label = `${me.name}, ${me.role}`;
  const others = me.others.map((p) => ({ key: p.id, label: `${p.name}, ${p.role}` }));
  return (
    <Dropdown
      trigger={["click"]}
      menu={{
        items: [
          {
            key: "me",
            type: "group",
            label: me.email ? `${label} · ${me.email}` : label,
            children: [
              { key: "/account", label: "My account" },
              ...(me.role === "owner" ? [{ key: "/people", label: "People" }] : []),
              { key: "out", label: "Sign out" },
            ],
          },
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
        onClick: ({ key }) => void choose(key),
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
