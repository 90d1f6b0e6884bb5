import { Trans } from "@lingui/react/macro";
import type { ReactNode } from "react";
import { Mark } from "../../components/Mark";

/** A page before anybody is signed in: one thing to do, in the middle. */
export function Paper({ title, children }: { title: string; children: ReactNode }) {
  return (
    <main className="mx-auto max-w-md px-5 py-10 sm:py-16">
      <p className="flex items-center gap-2 font-serif text-xl tracking-tight">
        <Mark />
        <Trans>Mean Bead</Trans>
      </p>
      <h1 className="mt-6 font-serif text-3xl">{title}</h1>
      {children}
    </main>
  );
}
