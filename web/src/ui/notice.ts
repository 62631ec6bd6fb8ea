import { create } from "zustand";

interface Notice {
  words: string;
  undo: () => Promise<unknown>;
}

/** What was just done and can be undone; the dock shows it until the next thing is done, or it is put away. */
export const useNotice = create<{ notice: Notice | null }>(() => ({ notice: null }));

export const notify = (notice: Notice | null) => useNotice.setState({ notice });
