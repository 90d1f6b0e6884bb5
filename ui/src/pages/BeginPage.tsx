import { t } from "@lingui/core/macro";
import { useEffect } from "react";
import { FirstSteps } from "../features/begin/FirstSteps";

/** The first start, whenever one wants it. */
export default function BeginPage() {
  useEffect(() => {
    document.title = t`First steps · Mean Bead`;
  }, []);
  return <FirstSteps />;
}
