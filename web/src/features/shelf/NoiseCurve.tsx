import type { Source } from "../../api/client";

type Traits = NonNullable<Source["traits"]>;

const WIDE = 96;
const HIGH = 30;
// Of brightness: a shorter curve tells nothing of how noise depends on it.
const TELLING = 0.15;

/** Noise against brightness as a small plot: from black to white across, from none to its most upwards. */
export function NoiseCurve({ traits }: { traits: Traits }) {
  const curve = (traits.noise_curve ?? []).map(([level = 0, sigma = 0]) => [level, sigma] as const);
  const levels = curve.map(([level]) => level);
  if (Math.max(...levels) - Math.min(...levels) < TELLING) return null;
  const most = Math.max(...curve.map(([, sigma]) => sigma), 1);
  const points = curve.map(([level, sigma]) => [level * WIDE, HIGH - (sigma / most) * (HIGH - 4)] as const);
  const told = curve
    .map(([level, sigma]) => `${Math.round(level * 100)} %: ${sigma.toFixed(1)} cv`)
    .join(", ");
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${HIGH}`}
      width={WIDE}
      height={HIGH}
      role="img"
      aria-label={`Noise by brightness, ${told}`}
      className="mt-1 block"
    >
      <title>{`Noise by brightness (black at the left, white at the right), ${told}`}</title>
      <path d={`M0 0V${HIGH}H${WIDE}`} fill="none" className="stroke-line" />
      <polyline
        points={points.map((point) => point.join(",")).join(" ")}
        fill="none"
        className="stroke-ink"
      />
      {points.map(([x, y]) => (
        <circle key={x} cx={x} cy={y} r={1.6} className="fill-ink" />
      ))}
    </svg>
  );
}
