import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import { useParams } from "react-router";

/** Whoever was not signed in comes by here, and goes on to the page for phones. */
export default function EnterPage() {
  const { runId } = useParams();
  useEffect(() => window.location.replace(`/run/${Number(runId)}`), [runId]);
  return <p className="py-10 text-quiet"><Trans>One moment …</Trans></p>;
}
