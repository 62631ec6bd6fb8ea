import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { sentence } from "../api/client";
import { sequencesIn, type Found } from "./sequences";

export interface Upload {
  id: number;
  name: string;
  share: number;
  note: string | null;
  failed: boolean;
}

let counter = 0;

/** Where files go: the sources of the Shelf, or the models. */
type Collection = "sources" | "models";

interface Answer {
  new: boolean;
  source?: { name: string };
  model?: { name: string };
}

/** What is sent at once: a file, or the frames of a clip with their rate. */
interface Parcel {
  name: string;
  to: string;
  form: () => FormData;
}

/** What a server says, also where something between answers that is not Mistline. */
function read(text: string): unknown {
  try {
    return JSON.parse(text || "{}");
  } catch {
    return {};
  }
}

/** Send with progress; fetch does not tell of it, so the older request object does. */
export function send({ name, to, form }: Parcel, progress: (share: number) => void): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.upload.onprogress = (event) => event.lengthComputable && progress(event.loaded / event.total);
    request.onload = () => {
      const body = read(request.responseText);
      if (request.status === 201) resolve(body as Answer);
      else reject(new Error(`${name}: ${sentence(body)}`));
    };
    request.onerror = () =>
      reject(new Error(`${name} was not sent; is Mistline still running? Drop it again.`));
    request.open("POST", `/api/${to}`);
    request.send(form());
  });
}

const alone = (file: File, to: Collection): Parcel => ({
  name: file.name,
  to,
  form: () => {
    const form = new FormData();
    form.append("file", file);
    return form;
  },
});

const together = ({ name, frames }: Found, rate: string): Parcel => ({
  name,
  to: "sequences",
  form: () => {
    const form = new FormData();
    form.append("rate", rate);
    for (const frame of frames) form.append("files", frame);
    return form;
  },
});

/** Uploads in flight; each stands for itself, one that fails does not hold the others. */
export function useImport(to: Collection) {
  const queries = useQueryClient();
  const [uploads, setUploads] = useState<Upload[]>([]);
  const [asked, setAsked] = useState<Found[]>([]);
  const change = useCallback(
    (id: number, values: Partial<Upload>) =>
      setUploads((all) => all.map((upload) => (upload.id === id ? { ...upload, ...values } : upload))),
    [],
  );
  const drop = useCallback((id: number) => setUploads((all) => all.filter((upload) => upload.id !== id)), []);
  const post = useCallback(
    async (parcels: Parcel[]) => {
      const fresh = parcels.map((parcel) => ({ parcel, id: counter++ }));
      setUploads((all) => [
        ...all,
        ...fresh.map(({ parcel, id }) => ({ id, name: parcel.name, share: 0, note: null, failed: false })),
      ]);
      for (const { parcel, id } of fresh) {
        try {
          const found = await send(parcel, (share) => change(id, { share }));
          const name = (found.source ?? found.model)?.name;
          if (found.new) drop(id);
          else change(id, { share: 1, note: `${parcel.name} is there already, as ${name}.` });
        } catch (error) {
          change(id, { failed: true, note: (error as Error).message });
        }
        void queries.invalidateQueries({ queryKey: [to] });
      }
    },
    [change, drop, queries, to],
  );
  const add = useCallback(
    async (files: Iterable<File>) => {
      const { sequences, single } =
        to === "sources" ? sequencesIn(files) : { sequences: [], single: [...files] };
      setAsked((all) => [...all, ...sequences]);
      await post(single.map((file) => alone(file, to)));
    },
    [post, to],
  );
  /** Take numbered frames in: as a clip of a rate, as so many stills, or not at all. */
  const decide = useCallback(
    async (found: Found, as: { rate: string } | "stills" | null) => {
      setAsked((all) => all.filter((one) => one !== found));
      if (as === "stills") await post(found.frames.map((file) => alone(file, to)));
      else if (as) await post([together(found, as.rate)]);
    },
    [post, to],
  );
  return { uploads, asked, add, drop, decide };
}
