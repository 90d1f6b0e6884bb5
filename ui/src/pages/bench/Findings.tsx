import type { Estimate, Finding } from "../../api/client";

const TONE: Record<Finding["severity"], { word: string; style: string }> = {
  stop: { word: "Stop", style: "border-error bg-error text-error-content" },
  risk: { word: "Risk", style: "border-warning text-warning" },
  waste: { word: "Waste", style: "border-info text-info" },
  note: { word: "Note", style: "border-secondary text-secondary" },
};

/** What stands out in each recipe, gravest first. */
export function Findings({ entries }: { entries: { name: string; estimate: Estimate }[] }) {
  const any = entries.some((entry) => entry.estimate.findings.length > 0);
  return (
    <section aria-labelledby="findings-title">
      <h2 id="findings-title" className="font-serif text-2xl">
        What stands out
      </h2>
      {!any && <p className="mt-1 text-quiet">Nothing: these recipes stay within the usual bounds.</p>}
      {entries.map((entry, index) =>
        entry.estimate.findings.length === 0 ? null : (
          <div key={index} className="mt-2">
            <h3 className="text-sm text-quiet">{entry.name}</h3>
            <ul className="space-y-1.5">
              {entry.estimate.findings.map((finding) => (
                <li key={finding.rule} className="flex gap-2">
                  <span
                    className={`mt-0.5 inline-block h-fit w-12 shrink-0 rounded-field border px-1 text-center text-xs ${TONE[finding.severity].style}`}
                  >
                    {TONE[finding.severity].word}
                  </span>
                  <span>
                    {finding.sentence} <span className="text-quiet">{finding.remedy}</span>
                  </span>
                </li>
              ))}
            </ul>
          </div>
        ),
      )}
    </section>
  );
}
