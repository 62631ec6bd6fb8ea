import { useRef, useState, type DragEvent } from "react";
import { Bar, Button } from "./parts";
import { filesOf, type Found } from "./sequences";
import type { Upload, useImport } from "./useImport";

type Importing = ReturnType<typeof useImport>;

interface Props extends Importing {
  accept: string;
  children: React.ReactNode;
}

const RATES = {
  "24000/1001": "23.976",
  "24": "24",
  "25": "25",
  "30000/1001": "29.97",
  "30": "30",
  "50": "50",
  "60": "60",
};

/** Asks what numbered files are: one clip, or so many stills. */
function Numbered({ found, decide }: { found: Found; decide: Importing["decide"] }) {
  const [rate, setRate] = useState("24");
  return (
    <li className="flex flex-wrap items-center gap-x-3 gap-y-1 py-1" data-testid="numbered-frames">
      <span>
        <strong>{found.frames.length} numbered files</strong>, {found.name}:
      </span>
      <Button tone="main" onClick={() => void decide(found, { rate })}>
        One clip
      </Button>
      <label className="flex items-center gap-1.5">
        at
        <select
          value={rate}
          onChange={(event) => setRate(event.target.value)}
          className="rounded-sm border border-line bg-sheet px-1.5 py-0.5"
        >
          {Object.entries(RATES).map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
        frames/s
      </label>
      <Button onClick={() => void decide(found, "stills")}>{found.frames.length} stills</Button>
      <Button tone="quiet" onClick={() => void decide(found, null)}>
        Leave out
      </Button>
    </li>
  );
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
export function Importer({ accept, children, uploads, asked, add, drop, decide }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const dropped = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void filesOf(event.dataTransfer).then(add);
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
      <div className="flex items-center gap-4">
        <Button tone="main" className="shrink-0" onClick={() => input.current?.click()}>
          Choose files
        </Button>
        <span className="min-w-0 text-soft">{children}</span>
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
      {uploads.length + asked.length > 0 && (
        <ul className="mt-2">
          {asked.map((found) => (
            <Numbered key={found.name} found={found} decide={decide} />
          ))}
          {uploads.map((upload) => (
            <UploadRow key={upload.id} upload={upload} drop={() => drop(upload.id)} />
          ))}
        </ul>
      )}
    </section>
  );
}
