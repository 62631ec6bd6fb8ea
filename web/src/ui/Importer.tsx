import { useRef, useState, type DragEvent } from "react";
import { Bar, Button } from "./parts";
import type { Upload } from "./useImport";

interface Props {
  accept: string;
  children: React.ReactNode;
  uploads: Upload[];
  add: (files: Iterable<File>) => Promise<void>;
  drop: (id: number) => void;
}

function UploadRow({ upload, drop }: { upload: Upload; drop: () => void }) {
  return (
    <li className="flex items-center gap-3 py-1" role={upload.failed ? "alert" : undefined}>
      {upload.note ?? (
        <>
          <span className="w-56 truncate">{upload.name}</span>
          <Bar share={upload.share} label={`Sending ${upload.name}`} />
        </>
      )}
      {upload.note && (
        <Button tone="quiet" onClick={drop}>
          Dismiss
        </Button>
      )}
    </li>
  );
}

/** Where files come in: by dropping or by the file dialog, several at once. */
export function Importer({ accept, children, uploads, add, drop }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const dropped = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void add(event.dataTransfer.files);
  };
  return (
    <section
      aria-label="Import"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={dropped}
      className={`mb-6 rounded-sm border border-dashed px-5 py-3.5 ${over ? "border-accent bg-wash" : "border-line"}`}
    >
      <div className="flex flex-wrap items-center gap-4">
        <Button tone="main" onClick={() => input.current?.click()}>
          Choose files
        </Button>
        <span className="text-soft">{children}</span>
        <input
          ref={input}
          type="file"
          multiple
          hidden
          data-testid="file-input"
          accept={accept}
          onChange={(event) => {
            void add(event.target.files ?? []);
            event.target.value = "";
          }}
        />
      </div>
      {uploads.length > 0 && (
        <ul className="mt-2">
          {uploads.map((upload) => (
            <UploadRow key={upload.id} upload={upload} drop={() => drop(upload.id)} />
          ))}
        </ul>
      )}
    </section>
  );
}
