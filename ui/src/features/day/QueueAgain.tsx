import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { useNavigate } from "react-router";
import { api, take } from "../../api/client";
import { dayChanged } from "../../api/day";
import { useToast } from "../../components/Toasts";

/** Have a run printed once more, by the plan. */
export function QueueAgain({ runId }: { runId: number }) {
  const queries = useQueryClient();
  const toast = useToast();
  const navigate = useNavigate();
  const key = useRef(crypto.randomUUID());
  const again = useMutation({
    mutationFn: async () => take(await api.POST("/api/queue/again", { body: { key: key.current, run_id: runId } })),
    onSuccess: async (made) => {
      key.current = crypto.randomUUID();
      await dayChanged(queries);
      toast(t`${made.name} is in the queue once more.`, { action: { label: t`Look`, run: () => void navigate("/day/queue") } });
    },
    onError: (error) => toast(error.message, { tone: "error" }),
  });
  return (
    <button type="button" className="btn btn-ghost btn-xs min-h-7 font-normal underline" disabled={again.isPending} onClick={() => again.mutate()}>
      <Trans>Queue it once more</Trans>
    </button>
  );
}
