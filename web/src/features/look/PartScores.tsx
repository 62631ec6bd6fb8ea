import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useMutation } from "@tanstack/react-query";
import { useEffect } from "react";
import { answer, client, type Trial } from "../../api/client";
import { Button, Trouble } from "../../ui/parts";
import { useViewport, visible, type Region } from "../../viewer/viewport";
import { ScoreTable } from "../scores/ScoreTable";

interface Props {
  trial: Trial;
  region: Region;
  close: () => void;
}

function Measured({ trial, region, close }: Props) {
  const measuring = useMutation({
    mutationFn: () =>
      answer(
        client.POST("/api/trials/{trial_id}/regions", {
          params: { path: { trial_id: trial.id } },
          body: { ...region, frame: useViewport.getState().frame },
        }),
      ),
  });
  const { mutate } = measuring;
  useEffect(() => mutate(), [mutate]);
  return (
    <>
      <DialogTitle className="text-xl font-semibold">
        Scores of this part: {region.width} × {region.height} pixels at {region.left}, {region.top}
      </DialogTitle>
      <Trouble error={measuring.error} />
      {measuring.isPending && (
        <p role="status" className="my-6 text-soft">
          Measuring every entry within this part…
        </p>
      )}
      {measuring.data && (
        <div className="my-4 overflow-x-auto">
          <ScoreTable trial={{ ...trial, entries: measuring.data }} costs={false} />
        </div>
      )}
      <Button onClick={close}>Close</Button>
    </>
  );
}

/** The scores of what the panes show now, in a dialog that is open as long as it has a trial to measure. */
export function PartScores({ trial, open, close }: { trial: Trial; open: boolean; close: () => void }) {
  return (
    <Dialog open={open} onClose={close} className="relative z-10">
      <div className="fixed inset-0 grid place-items-center bg-black/40 p-4">
        <DialogPanel className="max-h-full max-w-full overflow-y-auto rounded-sm bg-paper p-6">
          <Measured trial={trial} region={visible(useViewport.getState())} close={close} />
        </DialogPanel>
      </div>
    </Dialog>
  );
}
