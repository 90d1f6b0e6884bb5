import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "react-router";
import { useSamples, useSamplesChange } from "../../api/samples";
import { useHistory } from "../../components/history";
import { useToast } from "../../components/Toasts";

/** Over the list of parts while the sample workshop is there: what it is, and the two ways on from it. */
export function SampleNote() {
  const samples = useSamples().data;
  const remove = useRemoveSamples();
  if (!samples?.present) return null;
  return (
    <p className="mt-3 flex flex-wrap items-center gap-x-3 gap-y-1 border-l-2 border-molten bg-base-200 px-3 py-1.5 text-sm" data-testid="sample-note">
      <span>
        <Trans>This is the sample workshop: made up, to look around in.{samples.own_parts > 0 && ` ${plural(samples.own_parts, { one: "# of the parts is your own.", other: "# of the parts are your own." })}`}</Trans>
      </span>
      <Link className="underline" to="/begin">
        <Trans>Begin with your own</Trans>
      </Link>
      <button type="button" className="btn btn-ghost btn-xs ml-auto" disabled={remove.isPending} onClick={() => remove.run()}>
        <Trans>Remove the sample workshop</Trans>
      </button>
    </p>
  );
}

/** Remove the sample workshop as a step that can be undone. */
export function useRemoveSamples() {
  const history = useHistory();
  const toast = useToast();
  const change = useSamplesChange();
  const run = () =>
    change
      .mutateAsync("remove")
      .then(() => {
        const step = {
          label: t`removing the sample workshop`,
          undo: async () => {
            await change.mutateAsync("restore");
          },
          redo: async () => {
            await change.mutateAsync("remove");
          },
        };
        history.push(step);
        toast(t`The sample workshop was removed. What your own parts are printed with stayed.`, { action: { label: t`Undo`, run: () => void history.undoStep(step) } });
      })
      .catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }));
  return { run: () => void run(), isPending: change.isPending };
}
