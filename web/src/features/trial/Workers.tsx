import type { Worker } from "../../api/client";
import { useWorkers } from "../../api/queries";
import { described, seconds } from "../../ui/format";

const SILENT_AFTER = 10; // seconds

const isSilent = (worker: Worker) => worker.silent_seconds > SILENT_AFTER;

function Doing({ worker }: { worker: Worker }) {
  if (isSilent(worker))
    return (
      <span role="alert">
        not heard of for {seconds(worker.silent_seconds)}; what it had begun goes to the others
      </span>
    );
  if (worker.doing.length === 0) return <span className="text-soft">waits for work</span>;
  return <span className="wrap-anywhere">works on {worker.doing.join(", ")}</span>;
}

/** The machines that take work from the queue, and what each does now; one at rest needs no words. */
export function Workers({ live }: { live: boolean }) {
  const { data } = useWorkers();
  if (!data || (!live && data.length === 1 && !data.some(isSilent))) return null;
  return (
    <section className="mt-6" data-testid="machines">
      <h2 className="mb-2 font-display text-lg font-semibold">Machines at work</h2>
      {data.length === 0 ? (
        <p role="alert">No worker was heard of within the hour, so nothing runs; start Mistline again.</p>
      ) : (
        <ul className="border-t border-line">
          {data.map((worker) => (
            <li
              key={worker.id}
              className="grid grid-cols-[14rem_1fr_1fr] gap-4 border-b border-line bg-sheet px-3 py-2"
            >
              <span className="truncate font-medium" title={worker.host}>
                {worker.host}
              </span>
              <span className="text-soft">{described(worker.machine)}</span>
              <Doing worker={worker} />
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
