import type { ReactNode } from "react";
import { plateUrl, type Fingerprint, type Found } from "../../api/fingerprints";
import { Fact } from "../../ui/parts";
import { Curves } from "./Curves";
import { PLOTS, responsePlot, stepPlot, type Named } from "./plots";

const percent = (share: number) => `${(100 * share).toFixed(0)} %`;

const rims = ({ over, under }: Found) => {
  const most = Math.max(over, under);
  return most < 0.5 ? "none" : `${most.toFixed(most < 10 ? 1 : 0)} %`;
};

const shift = ({ shift_right, shift_down }: Found) => {
  const far = Math.hypot(shift_right, shift_down);
  return far < 0.1 ? "none" : `${far.toFixed(2)} px`;
};

/** What a method does, for a line of the list: two small plots and the figures one asks for first. */
export function Glance({ found }: { found: Found }) {
  const named: Named = [{ name: "", found }];
  return (
    <dl className="flex items-center gap-x-5">
      <Fact name="Edge">
        <Curves {...stepPlot(named)} small />
      </Fact>
      <Fact name="Fine patterns">
        <Curves {...responsePlot(named)} small />
      </Fact>
      <div className="grid grid-cols-4 gap-x-5">
        <Fact
          name="Rims"
          hint="How far the result goes beyond a step between dark and bright, % of the step."
        >
          {rims(found)}
        </Fact>
        <Fact
          name="Noise left"
          hint="Sigma of fine noise after it over the sigma before; 100 % keeps it as it is."
        >
          {percent(found.noise_gain)}
        </Fact>
        <Fact
          name="Own texture"
          hint="What a flat noisy field has afterwards that is no filtered copy of its noise, in code values; up to 0.5 of plain kernels too."
        >
          {found.own_texture < 0.5 ? "none" : `${found.own_texture.toFixed(1)} cv`}
        </Fact>
        <Fact name="Shift" hint="How far coarse patterns moved, in input pixels.">
          {shift(found)}
        </Fact>
      </div>
    </dl>
  );
}

function Shown({ src, alt, children }: { src: string; alt: string; children: ReactNode }) {
  return (
    <figure className="min-w-0">
      <div className="w-fit max-w-full bg-surround p-2">
        <img src={src} alt={alt} className="max-w-full [image-rendering:pixelated]" />
      </div>
      <figcaption className="text-note text-soft">{children}</figcaption>
    </figure>
  );
}

/** The made pictures: as they were given, and as one or two methods made them. */
export function Plates({ named }: { named: { name: string; one: Fingerprint }[] }) {
  const first = named[0]?.one;
  if (!first?.found) return null;
  const factor = first.found.factor;
  return (
    <>
      {(["plate", "rings"] as const).map((which) => (
        <div key={which} className="mt-4 flex flex-wrap items-start gap-4">
          {named.map(({ name, one }) => (
            <Shown key={name} src={plateUrl(one, `${which}-after`)} alt={`The ${which}, as ${name} makes it`}>
              {name}
              {factor > 1 && `, ${factor} times`}
            </Shown>
          ))}
          <Shown src={plateUrl(first, `${which}-before`)} alt={`The ${which}, as given`}>
            {which === "plate" ? "The standard plate, as given" : "Rings, finer outwards, as given"}
            {first.found?.in_noise ? ", with its noise" : ""}
          </Shown>
        </div>
      ))}
    </>
  );
}

/** All plots of one method, or of two over one another. */
export function Plots({ named }: { named: Named }) {
  return (
    <div className="grid grid-cols-[repeat(auto-fill,minmax(19rem,1fr))] gap-x-6 gap-y-4">
      {PLOTS.map((plot) => {
        const { title, ...rest } = plot(named);
        return <Curves key={title} title={title} {...rest} />;
      })}
    </div>
  );
}

/** How it was measured. */
export const measuredHow = ({ factor, in_noise }: Found) =>
  [
    factor > 1 ? `Measured on made charts, ${factor} times enlarged` : "Measured on made charts",
    in_noise
      ? `in noise of ${in_noise} cv, with its automatic strength`
      : "free of noise where noise is not the question",
  ].join(", ");
