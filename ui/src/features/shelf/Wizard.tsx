import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useRef, useState, type SubmitEvent } from "react";
import { parseNumber } from "../../lib/format";

interface WizardProps {
  /** What to put on the shelf; and whether its firmware is to be asked next. */
  onMade: (body: Record<string, unknown>, ask: boolean) => void;
  onClose: () => void;
}

interface Answers {
  name: string;
  x: string;
  y: string;
  z: string;
  heated: boolean;
  enclosed: boolean;
  drive: string;
  hotend: string;
  frame: string;
  source: string;
  address: string;
}

const START: Answers = { name: "", x: "220", y: "220", z: "250", heated: true, enclosed: false, drive: "direct", hotend: "short", frame: "light_bed", source: "none", address: "" };

const DRIVES = [
  ["direct", t`at the nozzle`, t`the motor rides with the print head`],
  ["long_tube", t`through a long tube`, t`the motor sits on the frame: it pulls back further, and slower`],
] as const;
const HOTENDS = [
  ["short_lined", t`short, with a PTFE tube down to the nozzle`, t`8 to 12 mm³/s, never above 240 °C`],
  ["short", t`short, all metal`, t`8 to 12 mm³/s`],
  ["long", t`a long melt zone`, t`15 to 25 mm³/s`],
  ["split", t`long, with split channels`, t`25 to 40 mm³/s`],
] as const;
const FRAMES = [
  ["light_bed", t`the bed goes back and forth, light frame`, t`shows ripple from about 800 mm/s² on`],
  ["stiff_bed", t`the bed goes back and forth, stiff frame`, t`clean up to about 1,500 mm/s²`],
  ["gantry", t`the head goes both ways on a gantry`, t`clean up to about 2,500 mm/s²`],
  ["coupled_gantry", t`a gantry whose two motors share both ways`, t`clean up to about 4,000 mm/s²`],
] as const;

const SOURCES = [
  ["console", t`yes, at its console`, t`on the network or by a cable`],
  ["report", t`I can paste its report`, t`what its firmware answers to M503`],
  ["none", t`no, or not now`, t`typical limits do for a start`],
] as const;

/** Five questions that a newcomer can answer; the description that follows is typical, and marked so. */
export function Wizard({ onMade, onClose }: WizardProps) {
  const [answers, setAnswers] = useState(START);
  const [problem, setProblem] = useState("");
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => dialog.current?.showModal(), []);
  const set = (change: Partial<Answers>) => setAnswers((now) => ({ ...now, ...change }));
  const make = (event: SubmitEvent) => {
    event.preventDefault();
    const [x, y, z] = [answers.x, answers.y, answers.z].map(parseNumber);
    if (![x, y, z].every((size) => size !== undefined && size > 0 && size <= 2000)) {
      setProblem(t`Give the room to print in, in millimetres, such as 220, 220 and 250.`);
      return;
    }
    const { name, heated, enclosed, drive, hotend, frame, source, address } = answers;
    const console = source === "console" && address.trim() !== "" ? { console: { address: address.trim() } } : {};
    onMade({ name: name.trim() || t`My machine`, answers: { bed_mm: { x, y, z }, heated, enclosed, drive, hotend, frame }, ...console }, source !== "none");
  };
  const choose = (key: "drive" | "hotend" | "frame" | "source", options: readonly (readonly [string, string, string])[]) =>
    options.map(([value, label, why]) => (
      <label key={value} className="flex items-start gap-2 py-0.5">
        <input type="radio" className="radio radio-xs mt-1" name={key} checked={answers[key] === value} onChange={() => set({ [key]: value })} />
        <span>
          {label} <span className="text-quiet">{why}</span>
        </span>
      </label>
    ));
  const box = "input input-xs w-16 border-rule bg-base-100 text-right";
  return (
    <dialog ref={dialog} className="m-auto w-full max-w-3xl rounded-box border border-rule bg-base-100 p-5 text-base-content shadow-xl" aria-labelledby="wizard" onClose={onClose}>
      <form onSubmit={make} className="space-y-3 text-sm">
        <div className="flex flex-wrap items-baseline gap-3">
          <h2 id="wizard" className="font-serif text-2xl">
            <Trans>A machine in five answers</Trans>
          </h2>
          <label className="ml-auto">
            <Trans>Name</Trans> <input className="input input-xs w-44 border-rule bg-base-100" value={answers.name} placeholder={t`My machine`} maxLength={120} onChange={(event) => set({ name: event.target.value })} />
          </label>
        </div>
        <fieldset>
          <legend className="font-serif text-lg"><Trans>1 · The bed</Trans></legend>
          <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
            {(["x", "y", "z"] as const).map((axis, at) => (
              <label key={axis}>
                {["wide", "deep", "high"][at]}{" "}
                <input className={box} inputMode="decimal" value={answers[axis]} onChange={(event) => set({ [axis]: event.target.value })} /> mm
              </label>
            ))}
            <label className="flex items-center gap-1.5">
              <input type="checkbox" className="checkbox checkbox-xs" checked={answers.heated} onChange={(event) => set({ heated: event.target.checked })} />
              <Trans>heated</Trans>
            </label>
            <label className="flex items-center gap-1.5">
              <input type="checkbox" className="checkbox checkbox-xs" checked={answers.enclosed} onChange={(event) => set({ enclosed: event.target.checked })} />
              <Trans>walls round it</Trans>
            </label>
          </div>
        </fieldset>
        <div className="grid gap-x-8 gap-y-3 md:grid-cols-2">
          <fieldset>
            <legend className="font-serif text-lg"><Trans>2 · What pushes the filament</Trans></legend>
            {choose("drive", DRIVES)}
          </fieldset>
          <fieldset>
            <legend className="font-serif text-lg"><Trans>3 · The hot end</Trans></legend>
            {choose("hotend", HOTENDS)}
          </fieldset>
          <fieldset>
            <legend className="font-serif text-lg"><Trans>4 · What moves</Trans></legend>
            {choose("frame", FRAMES)}
          </fieldset>
          <fieldset>
            <legend className="font-serif text-lg"><Trans>5 · Can it be asked for its limits?</Trans></legend>
            {choose("source", SOURCES)}
            {answers.source === "console" && (
              <label className="ml-6 block">
                <Trans>It listens at</Trans>{" "}
                <input className="input input-xs w-52 border-rule bg-base-100 font-mono" placeholder={t`192.168.1.20:23 or /dev/ttyUSB0`} value={answers.address} spellCheck={false} onChange={(event) => set({ address: event.target.value })} />
              </label>
            )}
          </fieldset>
        </div>
        {problem && (
          <p role="alert" className="text-error">
            {problem}
          </p>
        )}
        <div className="flex items-center gap-3">
          <button type="submit" className="btn btn-accent btn-sm">
            <Trans>Put it on the shelf</Trans>
          </button>
          <button type="button" className="btn btn-ghost btn-sm" onClick={() => dialog.current?.close()}>
            <Trans>Cancel</Trans>
          </button>
          <span className="text-quiet"><Trans>Every figure is typical until you type over it.</Trans></span>
        </div>
      </form>
    </dialog>
  );
}
