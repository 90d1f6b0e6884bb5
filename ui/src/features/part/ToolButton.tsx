

export type Tool = "look" | "measure" | "lay";

export function ToolButton({ tool, now, pick, label }: { tool: Tool; now: Tool; pick: (tool: Tool) => void; label: string }) {
  return (
    <button
      type="button"
      aria-pressed={now === tool}
      className={`btn join-item btn-xs ${now === tool ? "btn-neutral" : "btn-outline"}`}
      onClick={() => pick(tool)}
    >
      {label}
    </button>
  );
}

