"use client";
import { Alert, Button, Divider, Skeleton } from "antd";
import Link from "next/link";
import { useEffect, useState } from "react";
import { plain, signIn, signInBy } from "../../desk/api";
import { Door, DoorForm } from "./Door";
import { EmailField, PasswordField } from "./fields";
import { goalOf } from "./secret";

interface House {
  needed: boolean;
  demo: boolean;
}

/** Signing in by address and password; in the demo, with one click. */
export function SignIn() {
  const [house, setHouse] = useState<House | null>(null);
  useEffect(() => {
    plain<House>("/api/first").then(setHouse, () => setHouse({ needed: false, demo: false }));
  }, []);
  // A page that is loaded anew has nothing left of whoever was here before.
  const enter = () => location.assign(goalOf(location.search));
  // A form that is there before the page is alive would lose what is typed into it.
  if (!house)
    return (
      <Door title="Sign in">
        <Skeleton active paragraph={{ rows: 4 }} />
      </Door>
    );
  return (
    <Door title="Sign in">
      {house.needed && (
        <Alert
          type="info"
          title="This installation has no owner yet. Open the address that the start command printed to make the first one."
        />
      )}
      {house.demo && (
        <>
          <p className="soft">This is a demo on this machine: everybody in it is made up and has no password.</p>
          <DoorForm action="Go on as Ines Maro" onGo={() => signIn().then(enter)}>
            {null}
          </DoorForm>
          <Divider plain>or with an account</Divider>
        </>
      )}
      <DoorForm<{ email: string; password: string }>
        action="Sign in"
        second={house.demo === true}
        onGo={({ email, password }) => signInBy(email, password).then(enter)}
      >
        <EmailField autoFocus={house.demo === false} />
        <PasswordField />
      </DoorForm>
      <Link href="/reset">
        <Button type="link" block>
          Forgotten the password?
        </Button>
      </Link>
    </Door>
  );
}
