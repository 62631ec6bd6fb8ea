import type { NoTruthSetup, TruthSetup } from "../../api/client";
import { NumberField } from "../../ui/NumberField";
import { FactorPick, Pick } from "./Pick";

type Target = NonNullable<NoTruthSetup["target"]>;
type FrameTarget = Extract<Target, { kind: "frame" }>;
type PrintTarget = Extract<Target, { kind: "print" }>;

const KINDS: ["factor" | Target["kind"], string][] = [
  ["factor", "a factor"],
  ["frame", "a frame"],
  ["print", "a print"],
];
const FRAMES: [number, number][] = [
  [1920, 1080],
  [3840, 2160],
  [4096, 2160],
  [7680, 4320],
];
const FITS: [NonNullable<FrameTarget["fit"]>, string][] = [
  ["inside", "Fit inside, with bars"],
  ["fill", "Fill and crop"],
  ["centre", "1:1 in the middle"],
];

export const USUAL: Record<Target["kind"], Target> = {
  frame: { kind: "frame", width: 3840, height: 2160, fit: "inside" },
  print: { kind: "print", side: "width", length: 60, unit: "cm", dpi: 300 },
};

const SMALL: FrameTarget = { kind: "frame", width: 1920, height: 1080, fit: "fill" };

function Frame({ value, onChange }: { value: FrameTarget; onChange: (target: Target) => void }) {
  const put = (part: Partial<FrameTarget>) => onChange({ ...value, ...part });
  return (
    <>
      <div className="flex flex-wrap items-end gap-x-4 gap-y-1">
        <Pick
          name="Frame"
          options={FRAMES.map(([width, height]) => [`${width}x${height}`, `${width} × ${height}`])}
          value={`${value.width}x${value.height}`}
          onChange={(text) => {
            const [width = 0, height = 0] = text.split("x").map(Number);
            put({ width, height });
          }}
        />
        <NumberField
          min={1}
          name="or"
          label="Width of the frame"
          unit="×"
          value={value.width}
          max={16384}
          onChange={(width) => put({ width })}
        />
        <NumberField
          min={1}
          name=""
          label="Height of the frame"
          unit="px"
          value={value.height}
          max={16384}
          onChange={(height) => put({ height })}
        />
      </div>
      <Pick
        name="Where the shape differs"
        options={FITS}
        value={value.fit ?? "inside"}
        onChange={(fit) => put({ fit })}
      />
    </>
  );
}

function Print({ value, onChange }: { value: PrintTarget; onChange: (target: Target) => void }) {
  const put = (part: Partial<PrintTarget>) => onChange({ ...value, ...part });
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
      <Pick
        name="Side"
        options={[
          ["width", "wide"],
          ["height", "tall"],
        ]}
        value={value.side ?? "width"}
        onChange={(side) => put({ side })}
      />
      <NumberField
        min={0.01}
        name="Length"
        value={value.length}
        max={10000}
        onChange={(length) => put({ length })}
      />
      <Pick
        name="Unit"
        options={[
          ["cm", "cm"],
          ["in", "in"],
        ]}
        value={value.unit ?? "cm"}
        onChange={(unit) => put({ unit })}
      />
      <NumberField
        min={1}
        name="at"
        unit="dpi"
        value={value.dpi ?? 300}
        max={2400}
        onChange={(dpi) => put({ dpi })}
      />
    </div>
  );
}

interface TruthProps {
  value: TruthSetup["target"];
  change: (target: TruthSetup["target"]) => void;
}

/** Whether the truth is the source as it is, or brought to a smaller frame first. */
export function TruthSize({ value, change }: TruthProps) {
  return (
    <div className="space-y-3">
      <Pick
        name="The truth"
        options={[
          ["source", "the source as it is"],
          ["frame", "the source brought to a smaller frame"],
        ]}
        value={value ? "frame" : "source"}
        onChange={(way) => change(way === "frame" ? { ...SMALL } : null)}
      />
      {value && <Frame value={value} onChange={(next) => next.kind === "frame" && change(next)} />}
    </div>
  );
}

interface Props {
  setup: NoTruthSetup;
  change: (part: Partial<NoTruthSetup>) => void;
}

/** How large the result of a test without a truth will be: a factor, a frame with a rule for its shape, or a print. */
export function TargetPick({ setup, change }: Props) {
  const target = setup.target ?? null;
  const put = (next: Target | null) => change({ target: next });
  return (
    <div className="space-y-3">
      <Pick
        name="Target"
        options={KINDS}
        value={target?.kind ?? "factor"}
        onChange={(kind) => put(kind === "factor" ? null : USUAL[kind])}
      />
      {target?.kind === "frame" && <Frame value={target} onChange={put} />}
      {target?.kind === "print" && <Print value={target} onChange={put} />}
      {!target && (
        <FactorPick
          name="how many times larger each way the result is"
          value={setup.factor ?? 2}
          onChange={(factor) => change({ factor })}
        />
      )}
    </div>
  );
}
