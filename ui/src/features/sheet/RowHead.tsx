/** The name of a row, with its unit. */
export function RowHead({ label, unit }: { label: string; unit: string }) {
  return (
    <th
      scope="row"
      className="sticky left-0 z-10 bg-base-100 px-2 py-0.5 text-left font-normal"
    >
      {label} {unit && <span className="whitespace-nowrap text-xs text-quiet">{unit}</span>}
    </th>
  );
}
