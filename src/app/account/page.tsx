import { Account } from "../../ui/people/Account";

export default function Page() {
  return <Account />;
}
