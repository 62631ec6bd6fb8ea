import { dashOf } from "./letters";

/** The plate that names an entry wherever it appears. */
export function LetterPlate({ letter, neutral = false }: { letter: string; neutral?: boolean }) {
  const ink = neutral ? "var(--color-lamp)" : "var(--color-ink)";
  const wide = letter.length > 1;
  return (
    <svg
      viewBox={`0 0 ${wide ? 44 : 24} 24`}
      aria-hidden="true"
      className={`h-6 shrink-0 ${wide ? "w-11" : "w-6"}`}
    >
      <rect
        x={1.5}
        y={1.5}
        width={wide ? 41 : 21}
        height={21}
        rx={2}
        fill={neutral ? "var(--color-room)" : "var(--color-sheet)"}
        stroke={ink}
        strokeWidth={2}
        strokeDasharray={dashOf(letter)}
      />
      <text x="50%" y={17} textAnchor="middle" fontSize={wide ? 12 : 14} fontWeight={700} fill={ink}>
        {letter}
      </text>
    </svg>
  );
}
