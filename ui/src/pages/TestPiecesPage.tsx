import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { api, take, type PieceKind, type Shelf, type TestPiece } from "../api/client";
import { keys, shelfChanged, useShelf } from "../api/queries";
import { useHistory } from "../components/history";
import { useToast } from "../components/Toasts";
import { formatDuration, formatGrams, plain } from "../lib/format";

const at = (row_id: number) => ({ params: { path: { row_id } } });

/** Pieces that measure a machine: make one, print it, judge it by eye, use the answer. */
export default function TestPiecesPage() {
  const shelf = useShelf();
  const pieces = useQuery({
    queryKey: keys.testPieces,
    queryFn: async () => take(await api.GET("/api/test-pieces")),
    refetchOnMount: "always",
  });
  useEffect(() => {
    document.title = t`Test pieces · Mean Bead`;
  }, []);
  if (pieces.isLoadingError) return <p className="py-6 text-error">{pieces.error.message}</p>;
  if (!pieces.data || !shelf.data) return <p className="py-10 text-quiet"><Trans>Fetching the pieces …</Trans></p>;
  const { kinds, pieces: made } = pieces.data;
  return (
    <div className="py-5">
      <p className="text-sm">
        <Link className="underline" to="/flow">
          <Trans>Flow lab</Trans>
        </Link>
      </p>
      <h1 className="font-serif text-3xl"><Trans>Test pieces</Trans></h1>
      <p className="max-w-3xl text-quiet"><Trans>Each asks one question, changes one thing from band to band, and is judged by eye. What you mark stands on the shelf as measured, and the findings that it answers are cured.</Trans></p>
      <div className="mt-4 grid grid-cols-1 gap-x-10 gap-y-6 lg:grid-cols-2">
        <Kinds kinds={kinds} shelf={shelf.data} made={made} />
        <section aria-labelledby="printed">
          <h2 id="printed" className="font-serif text-2xl">
            <Trans>Made so far</Trans>
          </h2>
          {made.length === 0 && <p className="mt-1 text-sm text-quiet"><Trans>None yet. Make one, print it, and come back with it in your hand.</Trans></p>}
          {made.map((piece) => (
            <Made key={piece.id} piece={piece} kind={kinds.find((one) => one.name === piece.kind)} />
          ))}
        </section>
      </div>
    </div>
  );
}

function Kinds({ kinds, shelf, made }: { kinds: readonly PieceKind[]; shelf: Shelf; made: readonly TestPiece[] }) {
  const queries = useQueryClient();
  const history = useHistory();
  const toast = useToast();
  const machines = shelf.machines.filter((one) => !one.removed);
  const nozzles = shelf.nozzles.filter((one) => !one.removed);
  const materials = shelf.materials.filter((one) => !one.removed);
  const [machineId, setMachine] = useState(machines[0]?.id ?? 0);
  const machine = machines.find((one) => one.id === machineId);
  const [nozzleId, setNozzle] = useState<number | null>(null);
  const [materialId, setMaterial] = useState<number | null>(null);
  const spool = shelf.spools.find((one) => one.id === machine?.spool_id);
  const nozzle_id = nozzleId ?? machine?.nozzle_id ?? nozzles[0]?.id ?? 0;
  const material_id = materialId ?? spool?.material_id ?? materials[0]?.id ?? 0;
  const changed = () => Promise.all([queries.invalidateQueries({ queryKey: keys.testPieces }), queries.invalidateQueries({ queryKey: keys.parts })]);
  const make = useMutation({
    mutationFn: async (kind: PieceKind) => take(await api.POST("/api/test-pieces", { body: { kind: kind.name, machine_id: machineId, nozzle_id, material_id } })),
    onSuccess: async (piece) => {
      const away = async () => {
        const version = queries.getQueryData<{ pieces: TestPiece[] }>(keys.testPieces)?.pieces.find((one) => one.id === piece.id)?.version ?? piece.version;
        take(await api.POST("/api/test-pieces/{row_id}/delete", { ...at(piece.id), body: { version } }));
        await changed();
      };
      const back = async () => {
        take(await api.POST("/api/test-pieces/{row_id}/restore", at(piece.id)));
        await changed();
      };
      history.push({ label: t`making ${piece.name}`, undo: away, redo: back });
      await changed();
      toast(`${piece.name}: ${formatDuration(piece.print_time_s)}, ${formatGrams(piece.filament_g)}.`);
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  const pick = "select select-xs w-40 border-rule bg-base-100";
  return (
    <section aria-labelledby="kinds">
      <h2 id="kinds" className="font-serif text-2xl">
        <Trans>Make one</Trans>
      </h2>
      <p className="mt-1 flex flex-wrap gap-x-4 gap-y-1 text-sm">
        <label>
          <Trans>For</Trans>{" "}
          <select className={pick} value={machineId} onChange={(event) => setMachine(Number(event.target.value))}>
            {machines.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>nozzle</Trans>{" "}
          <select className={pick} value={nozzle_id} onChange={(event) => setNozzle(Number(event.target.value))}>
            {nozzles.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>plastic</Trans>{" "}
          <select className={pick} value={material_id} onChange={(event) => setMaterial(Number(event.target.value))}>
            {materials.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
      </p>
      <ul className="mt-2">
        {kinds.map((kind) => (
          <li key={kind.name} className="flex items-start gap-3 border-t border-rule py-2">
            <div className="min-w-0 flex-1">
              <h3 className="font-semibold">{kind.title}</h3>
              <p className="text-sm">{kind.question}</p>
              <p className="text-sm text-quiet"><Trans>Gives {kind.gives}.</Trans></p>
            </div>
            <button type="button" className="btn btn-outline btn-sm font-normal" disabled={make.isPending} onClick={() => make.mutate(kind)}>
              {make.isPending && make.variables.name === kind.name ? t`Making …` : made.some((one) => one.kind === kind.name) ? t`Make another` : t`Make it`}
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Made({ piece, kind }: { piece: TestPiece; kind: PieceKind | undefined }) {
  const queries = useQueryClient();
  const history = useHistory();
  const [band, setBand] = useState(piece.judged?.band ?? 0);
  const [other, setOther] = useState(piece.judged?.other_band ?? 0);
  const [span, setSpan] = useState(piece.judged?.span_mm ?? 0);
  const [problem, setProblem] = useState("");
  const newest = () => queries.getQueryData<{ pieces: TestPiece[] }>(keys.testPieces)?.pieces.find((one) => one.id === piece.id)?.version ?? piece.version;
  const changed = async () => {
    await queries.invalidateQueries({ queryKey: keys.testPieces });
    await queries.invalidateQueries({ queryKey: keys.flowTests });
    await shelfChanged(queries);
  };
  const put = (judged: NonNullable<TestPiece["judged"]>) => async () => {
    take(await api.POST("/api/test-pieces/{row_id}/judge", { ...at(piece.id), body: { version: newest(), judged } }));
    await changed();
  };
  const back = async () => {
    take(await api.POST("/api/test-pieces/{row_id}/take-back", { ...at(piece.id), body: { version: newest() } }));
    await changed();
  };
  const away = async () => {
    take(await api.POST("/api/test-pieces/{row_id}/delete", { ...at(piece.id), body: { version: newest() } }));
    await changed();
  };
  const restored = async () => {
    take(await api.POST("/api/test-pieces/{row_id}/restore", at(piece.id)));
    await changed();
  };
  const tower = piece.kind === "temperature";
  const judge = useMutation({
    mutationFn: async () => {
      setProblem("");
      const judged = { band, note: "", other_band: tower && other > 0 ? other : null, span_mm: piece.spans_mm.length > 0 && span > 0 ? span : null };
      const before = piece.judged;
      await put(judged)();
      history.push({ label: t`judging ${piece.name}`, undo: before ? put(before) : back, redo: put(judged) });
    },
    onError: (error) => setProblem(error.message),
  });
  const pick = "select select-xs border-rule bg-base-100";
  return (
    <article className="border-t border-rule py-3 text-sm" aria-label={piece.name}>
      <h3 className="font-semibold">{piece.name}</h3>
      <p className="text-quiet">
        {new Date(piece.made_on).toLocaleDateString()}, {piece.material_name}, {formatDuration(piece.print_time_s)}, {formatGrams(piece.filament_g)}{" "}
        {piece.part_id != null && (
          <Link className="ml-2 text-base-content underline" to={`/parts/${piece.part_id}/layers`}>
            <Trans>look at its layers</Trans>
          </Link>
        )}{" "}
        <a className="ml-2 text-base-content underline" href={`/api/test-pieces/${piece.id}.gcode`} download>
          <Trans>the file to print</Trans>
        </a>
        <button type="button" className="btn btn-ghost btn-xs ml-2 font-normal" aria-label={t`Take ${piece.name} off the list`} onClick={() => void away().then(() => history.push({ label: t`taking ${piece.name} off the list`, undo: restored, redo: away }))}>
          <Trans>take off the list</Trans>
        </button>
      </p>
      <p className="mt-1">{kind?.judge}</p>
      <ol className="mt-1 flex flex-wrap gap-1" aria-label={t`Bands, from the bed up`}>
        {piece.bands.map((one) => (
          <li key={one.number}>
            <button
              type="button"
              aria-pressed={band === one.number}
              title={one.to_mm - one.from_mm < 14 ? t`${plain(one.from_mm)} to ${plain(one.to_mm)} mm up` : t`counted from the mark`}
              className={`cursor-pointer border px-2 py-1 ${band === one.number ? "border-molten bg-molten-wash" : "border-rule"}`}
              onClick={() => setBand(one.number)}
            >
              <span className="text-quiet">{one.number}</span> {one.label}
            </button>
          </li>
        ))}
      </ol>
      <form
        className="mt-2 flex flex-wrap items-center gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          judge.mutate();
        }}
      >
        <span className="text-quiet"><Trans>Mark {kind?.pick}.</Trans></span>
        {tower && (
          <label>
            <Trans>Holds from</Trans>{" "}
            <select className={`${pick} w-32`} value={other} onChange={(event) => setOther(Number(event.target.value))}>
              <option value={0}>{t`the same`}</option>
              {piece.bands.map((one) => (
                <option key={one.number} value={one.number}>
                  {one.label}
                </option>
              ))}
            </select>
          </label>
        )}
        {piece.spans_mm.length > 0 && (
          <label>
            <Trans>Straight up to</Trans>{" "}
            <select className={`${pick} w-28`} value={span} onChange={(event) => setSpan(Number(event.target.value))}>
              <option value={0}>{t`which rung?`}</option>
              {piece.spans_mm.map((one) => (
                <option key={one} value={one}>
                  {plain(one)} mm
                </option>
              ))}
            </select>
          </label>
        )}
        <button type="submit" className="btn btn-primary btn-xs font-normal" disabled={band === 0 || judge.isPending}>
          {piece.judged ? t`Use this instead` : t`Use it`}
        </button>
      </form>
      {problem && (
        <p role="alert" className="text-error">
          {problem}
        </p>
      )}
      {piece.judged_on != null && (
        <p className="mt-1">
          <Trans><strong>{piece.sentence}</strong> Measured on {new Date(piece.judged_on).toLocaleDateString()}; on the shelf since.</Trans>{" "}
          {piece.flow_test_id != null && (
            <Link className="underline" to={`/flow/${piece.flow_test_id}`}>
              <Trans>See it as a flow test</Trans>
            </Link>
          )}
        </p>
      )}
    </article>
  );
}
