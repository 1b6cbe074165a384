import { Link } from "react-router";
import { Empty, Heading } from "../ui/parts";

export function LostPage() {
  return (
    <>
      <Heading title="No such page" />
      <Empty title="There is nothing at this address" action={<Link to="/floor" className="text-base font-medium text-accent-text underline">Go to the floor</Link>}>
        The link may be old. The floor shows all stations, and from there everything can be reached.
      </Empty>
    </>
  );
}
