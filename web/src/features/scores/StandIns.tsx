import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { useState } from "react";
import { Link } from "react-router";
import type { Trial, TruthSetup } from "../../api/client";
import { useStandIn, useStandIns, type StandIns as Found } from "../../api/standIns";
import { LetterPlate } from "../../ui/LetterPlate";
import { Button, FIELD, Trouble } from "../../ui/parts";
import { Thumbnail } from "../../ui/Thumbnail";
import { Damage } from "../trial/Damage";

const AT_FIRST = 2;
const CELL = "px-3 py-1 text-right";

function Candidates({
  found,
  chosen,
  toggle,
}: {
  found: Found;
  chosen: string[];
  toggle: (id: string) => void;
}) {
  return (
    <ul className="grid grid-cols-[repeat(auto-fill,minmax(17rem,1fr))] gap-2">
      {found.candidates.map(({ source_id, name, picture_id, why }) => (
        <li key={source_id}>
          <label className="flex h-full items-center gap-3 border border-line bg-sheet p-2 has-checked:border-accent">
            <input
              type="checkbox"
              className="size-4 accent-accent"
              checked={chosen.includes(source_id)}
              onChange={() => toggle(source_id)}
            />
            <span className="flex h-12 w-18 shrink-0 items-center justify-center bg-surround">
              {picture_id && <Thumbnail picture={picture_id} className="max-h-12 max-w-full" />}
            </span>
            <span className="min-w-0">
              <span className="block truncate font-medium" title={name}>
                {name}
              </span>
              <span className="block text-note text-soft first-letter:uppercase">{why}</span>
            </span>
          </label>
        </li>
      ))}
    </ul>
  );
}

/** Which material stands in, how it is damaged and why so, and the start of its trials. */
function Choose({ trial, found }: { trial: Trial; found: Found }) {
  const run = useStandIn(trial.id);
  const [own, setOwn] = useState<TruthSetup | null>(null);
  const [picked, setPicked] = useState<string[] | null>(null);
  const [soft, setSoft] = useState(true);
  const taken = found.stand_ins.map(({ source_name }) => source_name);
  const chosen =
    picked ??
    found.candidates
      .filter(({ name }) => !taken.includes(name))
      .slice(0, AT_FIRST)
      .map(({ source_id }) => source_id);
  const setup = own ?? found.setup;
  const toggle = (id: string) =>
    setPicked(chosen.includes(id) ? chosen.filter((other) => other !== id) : [...chosen, id]);
  if (found.candidates.length === 0)
    return (
      <p className="text-soft">
        The Shelf holds nothing that could stand in: it takes other material that is clean and at least 240
        pixels high once it is shrunk.
      </p>
    );
  return (
    <div className="space-y-3">
      <p className="max-w-prose">
        {found.reasons.length > 0 ? (
          <>
            Damaged as this source seems to be: <b>{found.words}</b>, since {found.reasons.join("; ")}.
          </>
        ) : (
          <>
            Nothing that could be imitated is measured of this source: <b>{found.words}</b>.
          </>
        )}
        {found.left_out.length > 0 && ` Not imitated: ${found.left_out.join("; ")}.`}
      </p>
      <Disclosure>
        <DisclosureButton className="text-accent-deep underline-offset-4 hover:underline">
          {own ? "Changed by hand" : "Change the damage"}
        </DisclosureButton>
        <DisclosurePanel className="max-w-2xl border border-line bg-sheet p-3">
          <Damage setup={setup} change={(part) => setOwn({ ...setup, ...part })} moving={trial.frames > 1} />
          {own && (
            <Button tone="quiet" onClick={() => setOwn(null)}>
              As it was read off the source
            </Button>
          )}
        </DisclosurePanel>
      </Disclosure>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="size-4 accent-accent"
          checked={soft}
          onChange={(event) => setSoft(event.target.checked)}
        />
        Blur each as far as the edges of this source are soft
      </label>
      <Candidates found={found} chosen={chosen} toggle={toggle} />
      <Trouble error={run.error} />
      <Button
        tone="main"
        disabled={chosen.length === 0 || run.isPending}
        onClick={() => run.mutate({ source_ids: chosen, setup, soft }, { onSuccess: () => setPicked([]) })}
      >
        {chosen.length === 1 ? "Run one stand-in" : `Run ${chosen.length} stand-ins`}
      </Button>
    </div>
  );
}

const state = ({ done, takes, failed }: Found["stand_ins"][number]) =>
  failed > 0 ? `${failed} failed` : done < takes ? `${done} of ${takes} done` : "";

/** The order that stand-ins foretell, with what each says; and how alike their inputs are to the real source. */
function Foretold({ trial, found }: { trial: Trial; found: Found }) {
  const names = new Map(trial.entries.map(({ letter, name }) => [letter, name]));
  const measure = found.measures.find(({ id }) => id === found.measure);
  const alike = found.stand_ins[0]?.compared ?? [];
  const figure = (value: number | null | undefined, digits: number) =>
    value === null || value === undefined ? "–" : value.toFixed(digits);
  const heads = found.stand_ins.map((one) => (
    <th key={one.trial_id} scope="col" className={`${CELL} max-w-44 align-bottom font-medium`}>
      <Link className="underline decoration-line underline-offset-4" to={`/trials/${one.trial_id}/scores`}>
        {one.source_name}
      </Link>
      <span className="block text-note font-normal text-soft">{state(one)}</span>
    </th>
  ));
  return (
    <div className="grid gap-8 lg:grid-cols-2">
      <div className="min-w-0 overflow-x-auto">
        <table data-testid="foretold">
          <caption className="text-left text-small text-soft">
            The order they foretell by {measure?.name}
          </caption>
          <thead>
            <tr>
              <td />
              <th scope="col" className={`${CELL} align-bottom font-medium`}>
                mean rank
              </th>
              {heads}
            </tr>
          </thead>
          <tbody>
            {found.analogy.order.map(({ name: letter, rank }) => (
              <tr key={letter} className="border-t border-line">
                <th scope="row" className="flex items-center gap-2 py-1 pr-4 text-left font-normal">
                  <LetterPlate letter={letter} /> {names.get(letter)}
                </th>
                <td className={`${CELL} font-semibold`}>{rank.toFixed(1)}</td>
                {found.stand_ins.map((one) => (
                  <td key={one.trial_id} className={CELL}>
                    {letter in one.values
                      ? `${figure(one.values[letter], measure?.digits ?? 2)} ${measure?.unit === "1" ? "" : measure?.unit}`
                      : "…"}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {alike.length > 0 && (
        <div className="min-w-0 overflow-x-auto">
          <table>
            <caption className="text-left text-small text-soft">
              How alike they are: measured of this source and of their inputs
            </caption>
            <thead>
              <tr>
                <td />
                <th scope="col" className={`${CELL} align-bottom font-medium`}>
                  this source
                </th>
                {heads}
              </tr>
            </thead>
            <tbody>
              {alike.map((row, at) => (
                <tr key={row.name} className="border-t border-line">
                  <th scope="row" className="pr-4 text-left font-normal first-letter:uppercase">
                    {row.name}, {row.unit}
                  </th>
                  <td className={`${CELL} font-semibold`}>{figure(row.real, 1)}</td>
                  {found.stand_ins.map((one) => (
                    <td key={one.trial_id} className={CELL}>
                      {figure(one.compared[at]?.stand_in, 1)}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </div>
  );
}

/** Evidence by analogy, for a trial whose truth nobody has. */
export function StandIns({ trial }: { trial: Trial }) {
  const [measure, setMeasure] = useState<string | null>(null);
  const { data: found, error } = useStandIns(trial.id, measure);
  if (!found) return <Trouble error={error} />;
  const some = found.stand_ins.length > 0;
  return (
    <section className="mt-6" data-testid="stand-ins">
      <h2 className="mb-1 text-xl font-semibold">By analogy: stand-ins that have a truth</h2>
      <p className="mb-3 max-w-prose text-soft">
        Nobody knows what these results should look like. Clean material, damaged as this source is, has a
        truth: what comes closest there is likely to here. It is evidence by analogy, no measurement of this
        source.
      </p>
      {some && (
        <>
          <label className="mb-2 inline-flex items-center gap-2">
            Measure
            <select
              value={found.measure}
              onChange={(event) => setMeasure(event.target.value)}
              className={FIELD}
            >
              {found.measures.map(({ id, name }) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </select>
          </label>
          <p className="mb-3 max-w-prose font-medium">
            {found.analogy.sentence}
            {found.stand_ins.length > 2 && found.analogy.held !== null && (
              <span className="font-normal">
                {" "}
                Each one&apos;s order is foretold by the others with a tau of {found.analogy.held.toFixed(2)}.
              </span>
            )}
          </p>
          <Foretold trial={trial} found={found} />
        </>
      )}
      {some ? (
        <Disclosure as="div" className="mt-3">
          <DisclosureButton className="mb-2 rounded-sm border border-line bg-sheet px-3 py-1.5 font-medium hover:border-ink">
            Try another stand-in
          </DisclosureButton>
          <DisclosurePanel>
            <Choose trial={trial} found={found} />
          </DisclosurePanel>
        </Disclosure>
      ) : (
        <Choose trial={trial} found={found} />
      )}
    </section>
  );
}
