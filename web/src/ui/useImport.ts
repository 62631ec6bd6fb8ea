import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { sentence } from "../api/client";

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

/** Send one file with progress; fetch does not tell of it, so the older request object does. */
function send(file: File, to: Collection, progress: (share: number) => void): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    const form = new FormData();
    form.append("file", file);
    request.upload.onprogress = (event) => event.lengthComputable && progress(event.loaded / event.total);
    request.onload = () => {
      const body: unknown = JSON.parse(request.responseText || "{}");
      if (request.status === 201) resolve(body as Answer);
      else reject(new Error(`${file.name}: ${sentence(body)}`));
    };
    request.onerror = () =>
      reject(new Error(`${file.name} was not sent; is Mistline still running? Drop it again.`));
    request.open("POST", `/api/${to}`);
    request.send(form);
  });
}

/** Uploads in flight; each file stands for itself, one that fails does not hold the others. */
export function useImport(to: Collection) {
  const queries = useQueryClient();
  const [uploads, setUploads] = useState<Upload[]>([]);
  const change = useCallback(
    (id: number, values: Partial<Upload>) =>
      setUploads((all) => all.map((upload) => (upload.id === id ? { ...upload, ...values } : upload))),
    [],
  );
  const drop = useCallback((id: number) => setUploads((all) => all.filter((upload) => upload.id !== id)), []);
  const add = useCallback(
    async (files: Iterable<File>) => {
      const fresh = [...files].map((file) => ({ file, id: counter++ }));
      setUploads((all) => [
        ...all,
        ...fresh.map(({ file, id }) => ({ id, name: file.name, share: 0, note: null, failed: false })),
      ]);
      for (const { file, id } of fresh) {
        try {
          const found = await send(file, to, (share) => change(id, { share }));
          const name = (found.source ?? found.model)?.name;
          if (found.new) drop(id);
          else change(id, { share: 1, note: `${file.name} is there already, as ${name}.` });
        } catch (error) {
          change(id, { failed: true, note: (error as Error).message });
        }
        void queries.invalidateQueries({ queryKey: [to] });
      }
    },
    [change, drop, queries, to],
  );
  return { uploads, add, drop };
}
