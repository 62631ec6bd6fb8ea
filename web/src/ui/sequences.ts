/** Frames that belong together by their names: the same but for a number. */
export interface Found {
  /** What they are called, from the first to the last. */
  name: string;
  frames: File[];
}

const NUMBERED = /^(.*?)(\d{1,9})(\D*)$/;
const LEAST = 3;
const FRAME = /\.(png|tiff?|dpx|exr|jpe?g|webp)$/i;

interface Numbered {
  key: string;
  number: number;
}

/** The number in a file's name, and what is the same in all files of its sequence; null where it has none. */
function numbered(name: string): Numbered | null {
  const suffix = FRAME.exec(name)?.[0];
  const found = suffix ? NUMBERED.exec(name.slice(0, -suffix.length)) : null;
  return found ? { key: `${found[1]}\n${found[3]}${suffix}`, number: Number(found[2]) } : null;
}

/** Sort files into numbered sequences of three or more, and all others. */
export function sequencesIn(files: Iterable<File>): { sequences: Found[]; single: File[] } {
  const groups = new Map<string, { number: number; file: File }[]>();
  const single: File[] = [];
  for (const file of files) {
    const place = numbered(file.name);
    if (!place) single.push(file);
    else groups.set(place.key, [...(groups.get(place.key) ?? []), { number: place.number, file }]);
  }
  const sequences: Found[] = [];
  for (const group of groups.values()) {
    const frames = group.sort((one, other) => one.number - other.number).map(({ file }) => file);
    const [first, last] = [frames[0], frames[frames.length - 1]];
    if (first && last && frames.length >= LEAST)
      sequences.push({ name: `${first.name} to ${last.name}`, frames });
    else single.push(...frames);
  }
  return { sequences, single };
}

/** All files that were dropped, those in folders too. */
export async function filesOf(dropped: DataTransfer): Promise<File[]> {
  const entries = [...dropped.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (!entries.some((entry) => entry.isDirectory)) return [...dropped.files];
  return (await Promise.all(entries.map(filesIn))).flat();
}

async function filesIn(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile)
    return [
      await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject)),
    ];
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: File[] = [];
  for (;;) {
    // A folder is read in parts of 100 entries, the last of them empty.
    const part = await new Promise<FileSystemEntry[]>((resolve, reject) =>
      reader.readEntries(resolve, reject),
    );
    if (part.length === 0) return found;
    found.push(...(await Promise.all(part.map(filesIn))).flat());
  }
}
