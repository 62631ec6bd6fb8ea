import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { Button } from "../../ui/parts";
import { KEYS } from "./useKeys";

/** All keys of the viewing room. */
export function KeyList({ open, close }: { open: boolean; close: () => void }) {
  return (
    <Dialog open={open} onClose={close} className="relative z-10">
      <div className="fixed inset-0 grid place-items-center bg-black/40 p-4">
        <DialogPanel className="max-h-full overflow-y-auto rounded-sm bg-sheet p-6">
          <DialogTitle className="text-xl font-semibold">Keys</DialogTitle>
          <dl className="my-4 grid grid-cols-[auto_1fr_auto_1fr] gap-x-5 gap-y-1.5 text-small">
            {KEYS.map(([key, meaning]) => (
              <div key={key} className="contents">
                <dt className="font-semibold">{key}</dt>
                <dd className="max-w-96">{meaning}</dd>
              </div>
            ))}
          </dl>
          <Button onClick={close}>Close</Button>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
