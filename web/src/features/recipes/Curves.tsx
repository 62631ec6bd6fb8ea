type Point = readonly [number, number];

export interface Line {
  name: string;
  points: readonly Point[];
  dashed?: boolean;
}

export interface Axis {
  from: number;
  to: number;
  ticks: readonly (number | readonly [number, string])[];
  name: string;
}

interface Props {
  title: string;
  lines: Line[];
  across: Axis;
  up: Axis;
  /** Without ticks and names, for a line of a list. */
  small?: boolean;
}

const MARGIN = { left: 44, right: 22, top: 8, bottom: 40 };

const tickOf = (tick: Axis["ticks"][number]): Point | readonly [number, string] =>
  typeof tick === "number" ? [tick, String(tick)] : tick;

/** A few lines over one another, small enough to be read at a glance. */
export function Curves({ title, lines, across, up, small = false }: Props) {
  const [width, height] = small ? [92, 34] : [310, 190];
  const edge = small ? { left: 1, right: 1, top: 1, bottom: 1 } : MARGIN;
  const x = (value: number) =>
    edge.left + ((value - across.from) / (across.to - across.from)) * (width - edge.left - edge.right);
  const y = (value: number) => {
    const inside = Math.min(Math.max(value, up.from), up.to);
    return (
      height - edge.bottom - ((inside - up.from) / (up.to - up.from)) * (height - edge.top - edge.bottom)
    );
  };
  const [foot, top] = [y(up.from), y(up.to)];
  const [start, end] = [x(across.from), x(across.to)];
  return (
    <figure className={small ? "" : "min-w-0"}>
      {!small && <figcaption className="text-small font-medium">{title}</figcaption>}
      <svg
        viewBox={`0 0 ${width} ${height}`}
        width={small ? width : undefined}
        height={small ? height : undefined}
        role="img"
        aria-label={`${title}: ${lines.map(({ name }) => name).join(", ")}`}
        className={small ? "block" : "block w-full max-w-[24rem]"}
      >
        <title>{title}</title>
        {up.ticks.map((tick) => {
          const [value, label] = tickOf(tick);
          return (
            <g key={value}>
              <path d={`M${start} ${y(value)}H${end}`} className="stroke-line" fill="none" />
              {!small && (
                <text x={start - 5} y={y(value) + 4} textAnchor="end" className="fill-soft" fontSize={12}>
                  {label}
                </text>
              )}
            </g>
          );
        })}
        {!small &&
          across.ticks.map((tick) => {
            const [value, label] = tickOf(tick);
            return (
              <g key={value}>
                <path d={`M${x(value)} ${top}V${foot + 3}`} className="stroke-line" fill="none" />
                <text x={x(value)} y={foot + 15} textAnchor="middle" className="fill-soft" fontSize={12}>
                  {label}
                </text>
              </g>
            );
          })}
        {!small && (
          <text x={(start + end) / 2} y={height - 6} textAnchor="middle" className="fill-soft" fontSize={12}>
            {across.name}
          </text>
        )}
        {lines.map(({ name, points, dashed }) => (
          <polyline
            key={name}
            points={points
              .filter(([place]) => place >= across.from && place <= across.to)
              .map(([place, value]) => `${x(place).toFixed(2)},${y(value).toFixed(2)}`)
              .join(" ")}
            fill="none"
            strokeWidth={small ? 1.4 : 1.7}
            strokeDasharray={dashed ? "5 3" : undefined}
            className="stroke-ink"
          />
        ))}
      </svg>
      {!small && lines.length > 1 && (
        <p className="flex flex-wrap gap-x-4 text-note text-soft" aria-hidden>
          {lines.map(({ name, dashed }) => (
            <span key={name} className="flex items-center gap-1.5">
              <svg width={26} height={8} aria-hidden>
                <path
                  d="M0 4H26"
                  className="stroke-ink"
                  strokeWidth={1.7}
                  strokeDasharray={dashed ? "5 3" : undefined}
                />
              </svg>
              {name}
            </span>
          ))}
        </p>
      )}
    </figure>
  );
}
