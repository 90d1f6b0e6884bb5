import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { Link } from "react-router";
import { api, take } from "../../api/client";
import { useJob } from "../../api/jobs";
import { useParts, useShelf } from "../../api/queries";
import { useSamples } from "../../api/samples";
import { JobBar } from "../../components/JobBar";
import { useToast } from "../../components/Toasts";
import { useShelfRows } from "../shelf/useShelfRows";
import { Wizard } from "../shelf/Wizard";
import { PickFiles } from "../uploads/PickFiles";
import { UploadList } from "../uploads/UploadList";
import { useUploads } from "../uploads/useUploads";

/** The first start: machine, nozzle and plastic, part; each can be skipped, and says what it improves. */
export function FirstSteps() {
  const shelf = useShelf();
  const samples = useSamples().data;
  const parts = useParts();
  const own = samples?.own_parts ?? 0;
  const machines = shelf.data?.machines.filter((one) => !one.removed) ?? [];
  const described = machines.some((one) => Object.values(one.sources).some((source) => source !== "typical"));
  const materials = shelf.data?.materials.filter((one) => !one.removed) ?? [];
  const nozzles = shelf.data?.nozzles.filter((one) => !one.removed) ?? [];
  return (
    <section className="mx-auto max-w-4xl py-6" aria-labelledby="first-title">
      <h1 id="first-title" className="font-serif text-3xl">
        <Trans>Three steps to the first true figure</Trans>
      </h1>
      <p className="mt-1 text-quiet"><Trans>Each can be skipped: typical values stand in, are marked as such, and can be typed over at any time.</Trans></p>
      <ol className="mt-5 space-y-4">
        <MachineStep done={described} named={machines.map((one) => one.name)} />
        <Step number={2} title={t`Nozzle and plastic`} done={nozzles.length > 0 && materials.length > 0} gain={t`How wide and how fast a line may be: the bore sets the bead, the plastic its heat and how much melts. Grams and cost come from its density and price.`}>
          <p>
            <Trans>
              On the shelf: {nozzles.map((one) => one.name).slice(0, 4).join(", ") || t`no nozzle`}; {materials.map((one) => one.name).slice(0, 4).join(", ") || t`no plastic`}
              {materials.length > 4 && t` and ${materials.length - 4} more`}.
            </Trans>
          </p>
          <p className="mt-1 flex flex-wrap gap-2">
            <Link className="btn btn-outline btn-sm" to="/shelf?kind=nozzles">
              <Trans>Nozzles</Trans>
            </Link>
            <Link className="btn btn-outline btn-sm" to="/shelf?kind=materials">
              <Trans>Take a plastic from eighteen typical ones</Trans>
            </Link>
          </p>
        </Step>
        <PartStep done={own > 0} first={parts.data?.pages[0]?.parts[0]?.id} />
      </ol>
      <SampleOffer present={samples?.present === true} removed={samples?.removed === true} />
      <p className="mt-4 text-sm">
        <Trans>
          <Link className="underline" to="/guide">
            The guide
          </Link>{" "}
          takes a quarter of an hour. <kbd className="kbd kbd-xs">Ctrl K</kbd> finds anything, <kbd className="kbd kbd-xs">?</kbd> shows the keys of a page.
        </Trans>
      </p>
    </section>
  );
}

interface StepProps {
  number: number;
  title: string;
  done: boolean;
  /** What it improves in the figures. */
  gain: string;
  children: ReactNode;
}

function Step({ number, title, done, gain, children }: StepProps) {
  return (
    <li className="grid grid-cols-[2.5rem_minmax(0,1fr)] gap-x-3 border-t border-rule pt-3">
      <span className={`flex h-9 w-9 items-center justify-center rounded-full border font-serif text-xl ${done ? "border-success text-success" : "border-molten"}`} aria-hidden="true">
        {done ? "✓" : number}
      </span>
      <div>
        <h2 className="font-serif text-xl">
          {title} {done && <span className="text-sm text-quiet"><Trans>done</Trans></span>}
        </h2>
        <p className="text-sm text-quiet">
          <strong className="font-semibold"><Trans>Improves:</Trans></strong> {gain}
        </p>
        <div className="mt-1.5">{children}</div>
      </div>
    </li>
  );
}

function MachineStep({ done, named }: { done: boolean; named: readonly string[] }) {
  const rows = useShelfRows("machines");
  const toast = useToast();
  const [asking, setAsking] = useState(false);
  const make = async (body: Record<string, unknown>) => {
    try {
      const id = await rows.add(body, "the new machine");
      setAsking(false);
      const { machines } = take(await api.GET("/api/shelf"));
      const [mine, first] = [machines.find((one) => one.id === id), machines.find((one) => !one.removed)];
      // One's own machine comes first: new parts begin on it.
      if (mine && first && first.id !== id) await rows.move(mine, first.id);
      toast(t`${mine?.name ?? t`It`} is on the shelf, and new parts begin on it.`);
    } catch (error) {
      toast(error instanceof Error ? error.message : String(error), { tone: "error" });
    }
  };
  return (
    <Step number={1} title={t`Your machine`} done={done} gain={t`Minutes, most of all. With typical limits, accelerations may be 30 % off either way, and the interval says so; what your firmware reports takes most of that away.`}>
      <p>{named.length > 0 ? t`On the shelf: ${named.slice(0, 4).join(", ")}.` : t`None is on the shelf.`}</p>
      <p className="mt-1 flex flex-wrap gap-2">
        <button type="button" className="btn btn-accent btn-sm" onClick={() => setAsking(true)}>
          <Trans>Describe it in five answers</Trans>
        </button>
        <Link className="btn btn-outline btn-sm" to="/shelf">
          <Trans>Paste what its firmware reports</Trans>
        </Link>
      </p>
      {asking && <Wizard onMade={(body) => void make(body)} onClose={() => setAsking(false)} />}
    </Step>
  );
}

function PartStep({ done, first }: { done: boolean; first: number | undefined }) {
  const uploads = useUploads();
  return (
    <Step number={3} title={t`A part that you print often`} done={done} gain={t`Everything: its own slices and strokes are what the figures are made of. Take one whose real minutes you know.`}>
      <div
        className="flex flex-wrap items-center gap-3 border border-dashed border-rule p-3"
        onDragOver={(event) => event.preventDefault()}
        onDrop={(event) => {
          event.preventDefault();
          uploads.add([...event.dataTransfer.files]);
        }}
      >
        <PickFiles name={t`Choose a file`} label={t`First part files`} onFiles={uploads.add} />
        <span className="text-sm text-quiet"><Trans>or drop an STL, OBJ, 3MF, PLY, STEP or zip file here.</Trans></span>
        {done && first !== undefined && (
          <Link className="underline" to={`/parts/${first}`}>
            <Trans>Open its bench</Trans>
          </Link>
        )}
      </div>
      <UploadList uploads={uploads} />
    </Step>
  );
}

/** The sample workshop, to be looked at beside one's own. */
function SampleOffer({ present, removed }: { present: boolean; removed: boolean }) {
  const queries = useQueryClient();
  const work = useJob(["samples"], async () => take(await api.POST("/api/samples")));
  const done = work.job?.state === "done";
  return (
    <div className="mt-6 border border-rule bg-base-200 p-3">
      <h2 className="font-serif text-lg"><Trans>The sample workshop</Trans></h2>
      <p className="text-sm text-quiet"><Trans>Eight made-up parts, three machines, a log of forty prints and a week’s queue, beside what is yours. It is removed whole, with one press, from the list of parts.</Trans></p>
      {present || done ? (
        <p className="mt-1 text-sm">
          <Trans>
            It is here.{" "}
            <Link className="underline" to="/" onClick={() => void queries.invalidateQueries()}>
              Look at it
            </Link>
          </Trans>
        </p>
      ) : (
        <p className="mt-1">
          {!work.busy && (
            <button type="button" className="btn btn-outline btn-sm" onClick={work.start}>
              {removed ? t`Bring it back` : t`Set it up`}
            </button>
          )}
        </p>
      )}
      <JobBar work={work} what={t`Setting up the sample workshop`} />
    </div>
  );
}
