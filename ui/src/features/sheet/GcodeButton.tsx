import { t } from "@lingui/core/macro";
import { useRef, useState } from "react";
import type { Part, RecipeColumn } from "../../api/client";
import { uploadGcode } from "../../api/upload";
import { percent } from "../../lib/format";
import { useToast } from "../../components/Toasts";

/** Adds a read-only column that replays a G-code file. */
export function GcodeButton({ part, onAdded }: { part: Part; onAdded: (column: RecipeColumn) => void }) {
  const input = useRef<HTMLInputElement>(null);
  const toast = useToast();
  const [state, setState] = useState<string | null>(null);
  const send = async (file: File) => {
    setState("0 %");
    try {
      onAdded(await uploadGcode(part.id, file, (share) => setState(share < 1 ? percent(share) : t`replaying …`)));
    } catch (error) {
      toast(error instanceof Error ? error.message : t`The file could not be replayed.`, { tone: "error" });
    } finally {
      setState(null);
    }
  };
  return (
    <>
      <button
        type="button"
        className="btn btn-outline btn-xs"
        disabled={state !== null}
        onClick={() => input.current?.click()}
        title={t`Replay a G-code file through the same motion model, next to your recipes`}
      >
        {state === null ? t`Replay G-code` : t`Replay G-code: ${state}`}
      </button>
      <input
        ref={input}
        type="file"
        className="hidden"
        aria-label={t`G-code file to replay`}
        accept=".gcode,.gco,.g,.nc,.txt"
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) void send(file);
        }}
      />
    </>
  );
}
