"use client";
import { Alert, App, Button, Form, Input, Popconfirm, Select, Skeleton, Table } from "antd";
import { useState } from "react";
import { problemOf } from "../../core/text/problem";
import { json } from "../../desk/api";
import { when } from "../common/when";
import { House } from "./House";
import { useAnswer } from "./useAnswer";

type Role = "owner" | "animator" | "reviewer";
interface Person {
  id: string;
  name: string;
  email: string | null;
  role: Role;
}
interface Invitation {
  id: string;
  email: string;
  role: Role;
  at: string;
  expires: string;
  expired: boolean;
}
interface Everybody {
  own: string;
  people: Person[];
  invitations: Invitation[];
  mailLeaves: boolean;
}

const ROLES: { value: Role; label: string; does: string }[] = [
  { value: "owner", label: "owner", does: "people and everything else" },
  { value: "animator", label: "animator", does: "makes and edits" },
  { value: "reviewer", label: "reviewer", does: "looks, comments, decides" },
];

/** What somebody is, chosen. */
function RoleChoice({ value, label, onChange }: { value?: Role; label: string; onChange?: (role: Role) => void }) {
  return (
    <Select<Role, (typeof ROLES)[number]>
      aria-label={label}
      className="role-choice"
      popupMatchSelectWidth={false}
      options={ROLES}
      optionRender={({ data }) => (
        <>
          {data.label} <span className="soft">{data.does}</span>
        </>
      )}
      {...(value === undefined ? {} : { value })}
      {...(onChange ? { onChange } : {})}
    />
  );
}

/** The owner's page of people: who is here, what they are, and who is invited. */
export function People() {
  const { message } = App.useApp();
  const { answer, problem, again } = useAnswer<Everybody>("/api/people");
  const [link, setLink] = useState<{ email: string; link: string } | null>(null);
  const [form] = Form.useForm<{ email: string; role: Role }>();
  const act = async (work: Promise<unknown>, done: string) => {
    try {
      await work;
      message.info(done);
    } catch (e) {
      message.error(problemOf(e), 6);
    }
    again();
  };
  const invite = async (email: string, role: Role) => {
    try {
      const made = await json<{ link: string }>("/api/people/invitations", { body: { email, role } });
      setLink({ email, link: made.link });
      form.resetFields();
    } catch (e) {
      message.error(problemOf(e), 6);
    }
    again();
  };
  const called = (p: Person) => (p.email ? `${p.name}, ${p.email}` : p.name);
  return (
    <House
      title="People"
      lead="Who is in the workspace and what each of them is. What somebody made stays when they are removed."
      problem={problem}
      onAgain={again}
    >
      {!answer && !problem && <Skeleton active />}
      {answer && (
        <>
          <Table<Person>
            size="small"
            rowKey="id"
            pagination={false}
            dataSource={answer.people}
            columns={[
              {
                title: "Name",
                render: (_, p) => (
                  <>
                    {p.name}
                    {p.id === answer.own && <span className="soft"> (you)</span>}
                  </>
                ),
              },
              { title: "Address", render: (_, p) => <span className="breakable">{p.email ?? "none"}</span> },
              {
                title: "Role",
                width: 150,
                render: (_, p) => (
                  <RoleChoice
                    label={`What ${called(p)} is`}
                    value={p.role}
                    onChange={(role) =>
                      void act(
                        json(`/api/people/${p.id}`, { method: "PATCH", body: { role } }),
                        `${p.name} is ${role} now.`,
                      )
                    }
                  />
                ),
              },
              {
                title: "",
                align: "right",
                width: 110,
                render: (_, p) => (
                  <Popconfirm
                    title={p.id === answer.own ? "Leave the workspace?" : `Remove ${p.name}?`}
                    description="All sessions end within seconds."
                    okText={p.id === answer.own ? "Leave" : "Remove"}
                    okButtonProps={{ danger: true }}
                    onConfirm={() =>
                      void act(json(`/api/people/${p.id}`, { method: "DELETE" }), `${p.name} is no longer here.`)
                    }
                  >
                    <Button
                      size="small"
                      danger
                      type="text"
                      aria-label={p.id === answer.own ? "Leave" : `Remove ${called(p)}`}
                    >
                      {p.id === answer.own ? "Leave" : "Remove"}
                    </Button>
                  </Popconfirm>
                ),
              },
            ]}
          />
          <h2 className="house-part">Invite somebody</h2>
          <Form
            form={form}
            layout="inline"
            className="invite"
            initialValues={{ role: "animator" }}
            onFinish={({ email, role }) => void invite(email, role)}
          >
            <Form.Item
              name="email"
              className="invite-email"
              rules={[{ required: true, message: "Type an e-mail address." }]}
            >
              <Input aria-label="E-mail address" placeholder="E-mail address" inputMode="email" autoComplete="off" />
            </Form.Item>
            <Form.Item name="role">
              <RoleChoice label="Invited as" />
            </Form.Item>
            <Button type="primary" htmlType="submit">
              Invite
            </Button>
          </Form>
          {link && (
            <Alert
              type="info"
              role="status"
              closable={{ onClose: () => setLink(null) }}
              title={`${answer.mailLeaves ? `The invitation is sent to ${link.email}` : `The mail to ${link.email} lies in the outbox, since no mail server is set`}. This link does the same; it is shown this once.`}
              description={
                <div className="row">
                  <code className="breakable">{link.link}</code>
                  <Button
                    size="small"
                    onClick={() =>
                      navigator.clipboard.writeText(link.link).then(
                        () => message.info("Copied."),
                        () => message.error("The browser does not let the link be copied. Select it by hand."),
                      )
                    }
                  >
                    Copy
                  </Button>
                </div>
              }
            />
          )}
          {answer.invitations.length > 0 && (
            <Table<Invitation>
              size="small"
              rowKey="id"
              className="invitations"
              pagination={false}
              dataSource={answer.invitations}
              columns={[
                { title: "Invited", render: (_, i) => <span className="breakable">{i.email}</span> },
                { title: "As", dataIndex: "role", width: 100 },
                {
                  title: "Good until",
                  width: 190,
                  render: (_, i) =>
                    i.expired ? (
                      <span className="problem">has run out</span>
                    ) : (
                      <span className="number">{when(i.expires)}</span>
                    ),
                },
                {
                  title: "",
                  align: "right",
                  width: 210,
                  render: (_, i) => (
                    <>
                      <Button
                        size="small"
                        type="text"
                        aria-label={`Invite again: ${i.email}`}
                        onClick={() => void invite(i.email, i.role)}
                      >
                        Invite again
                      </Button>
                      <Button
                        size="small"
                        danger
                        type="text"
                        aria-label={`Withdraw the invitation of ${i.email}`}
                        onClick={() =>
                          void act(
                            json(`/api/people/invitations/${i.id}`, { method: "DELETE" }),
                            `The invitation of ${i.email} is withdrawn.`,
                          )
                        }
                      >
                        Withdraw
                      </Button>
                    </>
                  ),
                },
              ]}
            />
          )}
        </>
      )}
    </House>
  );
}
