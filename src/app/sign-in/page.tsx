import { SignIn } from "../../ui/people/SignIn";

export default function Page() {
  return <SignIn />;
}
