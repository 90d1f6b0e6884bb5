import { Link } from "react-router";

/** An address that leads nowhere. */
export function LostPage() {
  return (
    <section className="py-16">
      <h1 className="font-serif text-3xl">There is nothing at this address</h1>
      <p className="mt-2">
        Go to the <Link to="/" className="underline">list of parts</Link>.
      </p>
    </section>
  );
}
