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
        This is the sample workshop: made up, to look around in.{samples.own_parts > 0 && ` ${samples.own_parts} of the parts ${samples.own_parts === 1 ? "is" : "are"} your own.`}
      </span>
      <Link className="underline" to="/begin">
        Begin with your own
      </Link>
      <button type="button" className="btn btn-ghost btn-xs ml-auto" disabled={remove.isPending} onClick={() => remove.run()}>
        Remove the sample workshop
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
          label: "removing the sample workshop",
          undo: async () => {
            await change.mutateAsync("restore");
          },
          redo: async () => {
            await change.mutateAsync("remove");
          },
        };
        history.push(step);
        toast("The sample workshop was removed. What your own parts are printed with stayed.", { action: { label: "Undo", run: () => void history.undoStep(step) } });
      })
      .catch((error: unknown) => toast(error instanceof Error ? error.message : String(error), { tone: "error" }));
  return { run: () => void run(), isPending: change.isPending };
}
