import { Projects } from "../ui/projects/Projects";

export default function Page() {
  return <Projects />;
}
