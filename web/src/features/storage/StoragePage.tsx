import type { ReactNode } from "react";
import { problem } from "../../api/live";
import { useClear, useStorage, type Clearable, type Storage } from "../../api/storage";
import { bytes } from "../../ui/format";
import { Bar, Button, ConfirmButton, Page, Trouble } from "../../ui/parts";

type Sort = "originals" | "sources" | "plates" | "takes" | "views" | "fingerprints" | "unneeded";

const SORTS: [Sort, string, string][] = [
  ["originals", "Originals", "files as they came; nothing makes them again"],
  ["sources", "Sources as read", "exact pixels of what is on the Shelf"],
  ["plates", "Truths and inputs", "what each set-up made of its source"],
  ["takes", "Results", "the exact pixels of every entry"],
  ["views", "Views", "tiles and small pictures for the screen"],
  ["fingerprints", "Fingerprints", "what each method made of the charts"],
  ["unneeded", "Needed by nothing", "left of what was removed"],
];

function Kept({ storage }: { storage: Storage }) {
  const most = Math.max(1, ...SORTS.map(([sort]) => storage[sort].bytes));
  const all = SORTS.reduce((sum, [sort]) => sum + storage[sort].bytes, 0);
  return (
    <section aria-labelledby="kept">
      <h2 id="kept" className="mb-2 text-xl font-semibold">
        What takes space
      </h2>
      <table className="w-full bg-sheet text-left">
        <thead className="sr-only">
          <tr>
            <th>What</th>
            <th>Share</th>
            <th>Number</th>
            <th>Space</th>
          </tr>
        </thead>
        <tbody>
          {SORTS.map(([sort, name, what]) => (
            <tr key={sort} className="border-b border-line">
              <th scope="row" className="px-4 py-2 font-normal">
                <span className="font-semibold">{name}</span>
                <span className="block text-note text-soft">{what}</span>
              </th>
              <td className="w-1/4 px-2">
                <Bar share={storage[sort].bytes / most} label={`${name} against the largest`} />
              </td>
              <td className="px-2 text-right text-soft">{storage[sort].number}</td>
              <td className="px-4 text-right font-semibold whitespace-nowrap">
                {bytes(storage[sort].bytes)}
              </td>
            </tr>
          ))}
          <tr>
            <th scope="row" className="px-4 py-2 font-semibold" colSpan={3}>
              Together
            </th>
            <td className="px-4 text-right font-semibold">{bytes(all)}</td>
          </tr>
        </tbody>
      </table>
    </section>
  );
}

interface GoesProps {
  title: string;
  gain: string;
  busy: boolean;
  nothing: boolean;
  button: ReactNode;
  children: ReactNode;
}

function Goes({ title, gain, busy, nothing, button, children }: GoesProps) {
  return (
    <li aria-label={title} className="flex items-center gap-6 border-b border-line bg-sheet px-4 py-3">
      <div className="min-w-0 flex-1">
        <h3 className="font-semibold">
          {title} <span className="font-normal text-soft">{gain}</span>
        </h3>
        <p className="text-small text-soft">{children}</p>
      </div>
      <div className="shrink-0 text-small">
        {busy ? (
          <span role="status">Being cleared</span>
        ) : nothing ? (
          <span className="text-soft">Nothing to clear</span>
        ) : (
          button
        )}
      </div>
    </li>
  );
}

const many = (count: number, one: string, more: string) => `${count} ${count === 1 ? one : more}`;

function CanGo({ storage }: { storage: Storage }) {
  const clear = useClear();
  const busy = (what: Clearable) => storage.clearing.includes(what);
  const go = (what: Clearable) => () => clear.mutate(what);
  const { trials, sources } = storage.removed;
  return (
    <section aria-labelledby="can-go">
      <h2 id="can-go" className="mb-2 text-xl font-semibold">
        What can go
      </h2>
      <Trouble error={clear.error} />
      <ul>
        <Goes
          title="Needed by nothing"
          gain={bytes(storage.unneeded.bytes)}
          busy={busy("unneeded")}
          nothing={storage.unneeded.number === 0}
          button={<Button onClick={go("unneeded")}>Clear</Button>}
        >
          Pixels of trials and sources that are gone. It goes by itself after a day; while something is being
          made only what is a day old goes.
        </Goes>
        <Goes
          title="Retired results"
          gain={bytes(storage.retired.bytes)}
          busy={busy("retired")}
          nothing={storage.retired.number === 0}
          button={<Button onClick={go("retired")}>Drop their pixels</Button>}
        >
          {many(storage.retired.number, "result", "results")} that every trial has retired. Scores and times
          stay; the pixels are made again when somebody looks at them.
        </Goes>
        <Goes
          title="Views"
          gain={bytes(storage.views.bytes)}
          busy={busy("views")}
          nothing={storage.views.bytes === 0}
          button={<Button onClick={go("views")}>Drop all views</Button>}
        >
          Tiles and small pictures. They are cut again when somebody looks, which takes a moment each.
        </Goes>
        <Goes
          title="Removed lately"
          gain={`${many(trials, "trial", "trials")}, ${many(sources, "source", "sources")}`}
          busy={busy("bin")}
          nothing={trials + sources === 0}
          button={
            <ConfirmButton question="Let them go for good? They cannot come back." act={go("bin")}>
              Let go now
            </ConfirmButton>
          }
        >
          What was removed can come back for a day; then it goes by itself.
        </Goes>
      </ul>
    </section>
  );
}

/** What takes space, what could go, and letting it go. */
export function StoragePage() {
  const found = useStorage();
  const storage = found.data;
  return (
    <Page title="Storage">
      <Trouble error={problem(found)} />
      {storage && (
        <>
          {storage.free_bytes !== null && storage.all_bytes !== null && (
            <p role={storage.is_low ? "alert" : undefined} className="mb-6 flex items-center gap-4">
              <span className="w-80">
                <Bar share={1 - storage.free_bytes / storage.all_bytes} label="How full the disk is" />
              </span>
              <span className={storage.is_low ? "font-semibold" : "text-soft"}>
                {bytes(storage.free_bytes)} free of {bytes(storage.all_bytes)} on the disk of the media store
                {storage.is_low && ". Little is left: results wait when there is no room for them."}
              </span>
            </p>
          )}
          <div className="grid items-start gap-6 lg:grid-cols-2">
            <CanGo storage={storage} />
            <Kept storage={storage} />
          </div>
        </>
      )}
    </Page>
  );
}
