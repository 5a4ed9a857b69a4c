"use client";
import { App, Button, Form, Input, Popconfirm, Skeleton, Table } from "antd";
import { LogOut } from "lucide-react";
import { agentText } from "../../core/text/agent";
import { problemOf } from "../../core/text/problem";
import { json, signOut } from "../../desk/api";
import { when } from "../common/when";
import { DoorForm } from "./Door";
import { NewPasswordField, PasswordField } from "./fields";
import { House } from "./House";
import { useAnswer } from "./useAnswer";

interface Session {
  id: string;
  began: string;
  seen: string;
  agent: string;
  address: string;
  own: boolean;
}
interface Mine {
  name: string;
  email: string | null;
  role: string;
  hasPassword: boolean;
  sessions: Session[];
}

/** The own account: name, password, and where one is signed in. */
export function Account() {
  const { message } = App.useApp();
  const { answer: me, problem, again } = useAnswer<Mine>("/api/account");
  const end = async (id: string) => {
    try {
      await json(`/api/account/sessions/${id}`, { method: "DELETE" });
    } catch (e) {
      message.error(problemOf(e), 6);
    }
    again();
  };
  const out = async (everywhere: boolean) => {
    await signOut(everywhere);
    location.assign("/sign-in");
  };
  return (
    <House
      title="My account"
      lead={me ? `${me.email ?? "without an address"} · ${me.role}` : "Name, password and sessions."}
      owners={false}
      problem={problem}
      onAgain={again}
    >
      {!me && !problem && <Skeleton active />}
      {me && (
        <div className="account">
          <section>
            <h2>Name</h2>
            <Form
              key={me.name}
              layout="inline"
              initialValues={{ name: me.name }}
              onFinish={({ name }: { name: string }) =>
                json("/api/account", { method: "PATCH", body: { name } }).then(
                  () => {
                    message.info("The name is changed.");
                    again();
                  },
                  (e: unknown) => message.error(problemOf(e), 6),
                )
              }
            >
              <Form.Item name="name" className="account-name">
                <Input aria-label="Your name" autoComplete="name" maxLength={100} />
              </Form.Item>
              <Button htmlType="submit">Save</Button>
            </Form>
          </section>
          <section>
            <h2>Password</h2>
            {me.hasPassword ? (
              <div className="account-password">
                <DoorForm<{ present: string; next: string }>
                  key={me.sessions.map((s) => s.id).join()}
                  action="Change password"
                  onGo={async (values) => {
                    const { ended } = await json<{ ended: number }>("/api/account/password", {
                      method: "PUT",
                      body: values,
                    });
                    message.info(
                      ended === 0
                        ? "The password is changed."
                        : `The password is changed; ${ended} other session${ended === 1 ? "" : "s"} ended.`,
                      6,
                    );
                    again();
                  }}
                >
                  <PasswordField name="present" label="Present password" />
                  <NewPasswordField name="next" />
                </DoorForm>
              </div>
            ) : (
              <p className="soft">The made-up people of the demo have none.</p>
            )}
          </section>
          <section className="wide">
            <h2>Where you are signed in</h2>
            <Table<Session>
              size="small"
              rowKey="id"
              pagination={false}
              dataSource={me.sessions}
              columns={[
                { title: "Browser", render: (_, s) => `${agentText(s.agent)}${s.own ? ", this one" : ""}` },
                { title: "From", render: (_, s) => <span className="number">{s.address}</span> },
                { title: "Since", render: (_, s) => <span className="number">{when(s.began)}</span> },
                { title: "Last used", render: (_, s) => <span className="number">{when(s.seen)}</span> },
                {
                  title: "",
                  align: "right",
                  render: (_, s) =>
                    s.own ? (
                      <Button size="small" icon={<LogOut size={14} />} onClick={() => void out(false)}>
                        Sign out
                      </Button>
                    ) : (
                      <Button size="small" onClick={() => void end(s.id)}>
                        End
                      </Button>
                    ),
                },
              ]}
            />
            <div className="row">
              <Popconfirm
                title="End all sessions, this one as well?"
                okText="Sign out everywhere"
                onConfirm={() => void out(true)}
              >
                <Button>Sign out everywhere</Button>
              </Popconfirm>
              <span className="soft">A session ends after 30 days, or 12 hours in which nothing is done.</span>
            </div>
          </section>
        </div>
      )}
    </House>
  );
}
