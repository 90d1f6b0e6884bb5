import { t } from "@lingui/core/macro";
import createClient from "openapi-fetch";
import { throughGate } from "../lib/gate";
import { settled } from "../lib/inLine";
import { personName } from "../lib/person";
import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Part = Schemas["PartOut"];
export type Recipe = Schemas["Recipe"];
export type RecipeColumn = Schemas["RecipeOut"];
export type RecipeAdd = Schemas["RecipeAdd"];
export type House = Schemas["HouseOut"];
export type RecipeVersion = Schemas["VersionOut"];
export type Job = Schemas["JobOut"];
export type Waterfall = Schemas["Waterfall"];
export type Insight = Schemas["PartInsight"];
export type Spot = Schemas["Spot"];
export type PartEdit = Schemas["PartEdit"];
export type Purpose = Schemas["PurposeOut"];
export type Limits = Schemas["Limits"];
export type LayerLedger = Schemas["LayerLedger"];
export type StrokesIndex = Schemas["StrokesIndex"];
export type FirstLayer = Schemas["FirstLayer"];
export type Sensitivity = Schemas["Sensitivity"];
export type Settings = Schemas["SettingsOut"];
export type RecipeEdit = Schemas["RecipeEdit"];
export type Estimate = Schemas["Estimate"];
export type FeatureShare = Schemas["FeatureShare"];
/** The server always sends what has a default. */
export type Finding = Required<Schemas["Finding"]>;
export type Shop = Omit<Required<Schemas["Shop"]>, "attended"> & { attended: Required<Schemas["Attendance"]> };
export type Remedy = Schemas["Remedy"];
export type SetTo = Schemas["SetTo"];
export type Lever = Schemas["Lever"];
export type RowCurve = Schemas["Curve"];
export type Advice = Schemas["Advice"];
export type Waste = Schemas["Waste"];
export type Measures = Schemas["Measures"];
export type Evaluation = Schemas["Evaluation"];
export type SearchResult = Schemas["SearchResult"];
export type SearchLimits = Schemas["SearchLimits"];
export type SearchStart = Schemas["SearchStart"];
export type HouseRules = Schemas["HouseRulesOut"];
export type Spool = Schemas["SpoolOut"];
export type Preview = Schemas["Preview"];
export type Shelf = Schemas["ShelfOut"];
export type Machine = Schemas["MachineOut"];
export type Nozzle = Schemas["NozzleOut"];
export type Material = Schemas["MaterialOut"];
export type Printer = Schemas["Printer"];
export type FlowTest = Schemas["FlowTestOut"];
export type FlowTestHead = Schemas["FlowTestHead"];
/** The server always sends what has a default. */
export type FlowSetup = Required<Schemas["FlowSetup"]>;
export type FlowPoint = Schemas["FlowPoint"];
export type FlowPointOut = Schemas["PointOut"];
export type FlowAtTemp = Schemas["FlowAtTemp"];
export type FlowPlan = Schemas["FlowTestPlan"];
export type TestPiece = Schemas["TestPieceOut"];
export type PieceKind = Schemas["PieceKind"];
export type KneeDifference = Schemas["KneeDifference"];
export type Me = Schemas["Me"];
export type Network = Schemas["NetworkOut"];
export type Role = NonNullable<Me["role"]>;
export type Person = Schemas["PersonOut"];
export type Device = Schemas["DeviceOut"];
export type InvitationMade = Schemas["InvitationMade"];
export type Problem = Schemas["Problem"];
export type Run = Schemas["RunOut"];
export type RunHead = Schemas["RunHead"];
export type RunTag = Schemas["RunTag"];
export type RunEdit = Schemas["RunEdit"];
/** The server always sends what has a default. */
export type RunEntry = Required<Schemas["RunEntry"]>;
export type Photo = Schemas["PhotoOut"];
export type Fault = Schemas["FaultOut"];
export type FaultCauses = Schemas["FaultCauses"];
export type Suspect = Schemas["SuspectOut"];
export type Price = Schemas["PriceOut"];
export type Since = Schemas["SinceOut"];
export type Chain = Schemas["ChainOut"];
export type Difference = Schemas["Difference"];
export type JournalEntry = Schemas["EntryOut"];
export type JournalAdd = Schemas["EntryAdd"];
export type ImportPreview = Schemas["ImportPreview"];
export type Matched = Schemas["Matched"];
export type Backup = Schemas["BackupOut"];
export type BackupContents = Schemas["ContentsOut"];
/** The server always sends what has a default. */
export type Interval = Required<Schemas["Interval"]>;
export type TimeDifference = Schemas["TimeDifference"];
export type Causes = Schemas["Causes"];
export type CalibrationHead = Schemas["CalibrationHead"];
export type Calibration = Schemas["CalibrationOut"];
export type LearntFactor = Schemas["LearntFactor"];
export type RunPoint = Schemas["RunPoint"];
export type InferredLimits = Schemas["InferredLimits"];
export type TwoPrints = Schemas["TwoPrints"];
export type MachinesCompared = Schemas["MachinesCompared"];
export type ExperimentHead = Schemas["ExperimentHead"];
export type Experiment = Omit<Schemas["ExperimentOut"], "grid"> & { grid: Grid };
export type Grid = Required<Schemas["Grid"]>;
export type GridEdit = Schemas["Grid"];
export type GridFactor = Schemas["GridFactor"];
export type Level = Schemas["GridFactor"]["levels"][number];
export type Cell = Schemas["CellOut"];
export type Verdict = Schemas["Verdict"];
export type Varied = Schemas["Varied"];
export type ReadyMade = Omit<Schemas["ReadyMade"], "grid"> & { grid: Grid };
export type Keeping = Schemas["Keeping"];

export type Day = Schemas["DayOut"];
export type Print = Schemas["PrintOut"];
export type PrintFile = Schemas["FileOut"];
export type Sending = Omit<Schemas["SendingOut"], "way" | "options"> & { way: WayDescription; options: FileOptions };
export type WayDescription = Required<Schemas["WayDescription"]>;
export type FileOptions = Required<Schemas["FileOptions"]>;
export type BoardRun = Schemas["BoardRun"];
export type BoardMachine = Schemas["BoardMachine"];
export type DayTask = Schemas["Task"];
export type DayRules = Required<Schemas["DayRules"]>;
export type Reasons = Schemas["ReasonsOut"];
export type Queued = Schemas["QueueOut"];
export type QueueAdd = Schemas["QueueAdd"];
export type QueueEdit = Schemas["QueueEdit"];
export type Plate = Schemas["PlateOut"];
export type PlateItem = Required<Schemas["PlateItem"]>;
export type PlateChecked = Schemas["PlateChecked"];
export type PlateEstimate = Schemas["PlateEstimate"];
export type HoursException = Schemas["HoursOut"];
export type HeadBox = Required<Schemas["HeadBox"]>;

/** The generated client; its types come from the server's own models. */
export const api = createClient<paths>({ baseUrl: "/", fetch: (request) => throughGate(request) });

/** What is computed from a column as it stands: it waits for the edits that are still on their way. */
const READS_COLUMNS = [
  /^\/api\/recipes\/\d+\/(settings|levers|search|remedies|layers|strokes|first-layer|nudges|versions|findings)/,
  /^\/api\/(house-recipes|waterfalls|differences|experiments|machine-comparisons)/,
  /^\/api\/parts\/\d+\/(split|stances)/,
];

// Whoever has said a name signs what is written with it.
api.use({
  async onRequest({ request }) {
    const { pathname } = new URL(request.url, window.location.href);
    if (READS_COLUMNS.some((one) => one.test(pathname))) await settled();
    const name = personName();
    if (name !== "") request.headers.set("X-Person", name);
    return request;
  },
});

/** An answer that is a problem. `message` is fit to be shown. */
export class ProblemError extends Error {
  readonly problem: Problem;

  constructor(problem: Problem) {
    super(problem.detail ?? problem.title ?? t`Something went wrong.`);
    this.name = "ProblemError";
    this.problem = problem;
  }

  get status(): number {
    return this.problem.status ?? 0;
  }

  /** Whether asking again would change nothing: the server has answered, and not that it is away. */
  get isFinal(): boolean {
    return this.status >= 400 && this.status < 500;
  }

  /** What the server says of one field, by the end of its dotted name. */
  about(field: string): string | undefined {
    return this.problem.errors?.find((error) => error.field.endsWith(field))?.message;
  }
}

interface Answer<Data> {
  data?: Data;
  error?: unknown;
  response: Response;
}

/** The data of an answer, or a ProblemError. */
export function take<Data>(answer: Answer<Data>): NonNullable<Data> {
  if (answer.data !== undefined && answer.data !== null) return answer.data;
  throw new ProblemError(asProblem(answer.error, answer.response.status));
}

export function asProblem(error: unknown, status: number): Problem {
  if (typeof error === "object" && error !== null && "detail" in error) return error as Problem;
  return { status, title: t`No answer`, detail: t`Mean Bead did not answer. Is it still running?` };
}
