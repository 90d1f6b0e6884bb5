import { useEffect } from "react";
import { Link, useNavigate } from "react-router";
import { useMe } from "../api/account";
import { api, take } from "../api/client";
import { AccountForm } from "../features/people/AccountForm";
import { Paper } from "../features/people/Paper";

/** The first account, which owns the workshop. Made at its own machine. */
export default function OwnerPage() {
  const me = useMe();
  const go = useNavigate();
  useEffect(() => {
    document.title = "Owner · Mean Bead";
  }, []);
  if (me.data === undefined) return <p className="p-10 text-quiet">One moment …</p>;
  if (!me.data.may_make_owner) {
    return (
      <Paper title="There is an owner">
        <p className="mt-3 text-quiet">
          The first account is made at the workshop&apos;s own machine, while there is none.{" "}
          <Link className="link" to="/">
            Go on
          </Link>
        </p>
      </Paper>
    );
  }
  return (
    <Paper title="Who owns this workshop?">
      <p className="mt-2 text-quiet">
        An owner looks after people and the network. From then on everybody signs in, on this machine too; what is in the workshop
        stays as it is.
      </p>
      <AccountForm
        fresh
        asksToRemember={false}
        button="Make the first account"
        send={async ({ name, passphrase }) => take(await api.POST("/api/owner", { body: { name, passphrase } }))}
        onDone={() => void go("/network")}
      />
    </Paper>
  );
}
