import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import {
  createContext,
  useContext,
  useEffect,
  useRef,
  useState,
  type ButtonHTMLAttributes,
  type ReactNode,
} from "react";
import { Link, useLocation, type LinkProps } from "react-router";

const BUTTON =
  "inline-flex items-center justify-center gap-1.5 rounded-sm px-3 py-1.5 font-medium disabled:opacity-50";
const TONES = {
  main: "bg-accent text-white hover:bg-accent-deep",
  plain: "border border-line bg-sheet hover:border-ink",
  quiet: "text-accent-deep underline-offset-4 hover:underline !px-1",
};
type Tone = keyof typeof TONES;

/** What is typed into or chosen from. */
export const FIELD = "rounded-sm border border-line bg-sheet px-2 py-1";

export function Button({
  tone = "plain",
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { tone?: Tone }) {
  return <button type="button" className={`${BUTTON} ${TONES[tone]} ${className}`} {...rest} />;
}

export function ButtonLink({ tone = "plain", className = "", ...rest }: LinkProps & { tone?: Tone }) {
  return <Link className={`${BUTTON} ${TONES[tone]} ${className}`} {...rest} />;
}

/** What went wrong, in the API's sentence, with the next action. */
export function Trouble({ error, children }: { error: Error | null; children?: ReactNode }) {
  if (!error) return null;
  return (
    <p role="alert" className="flex items-center gap-3 rounded-sm border-l-4 border-accent bg-wash px-3 py-2">
      {error.message} {children}
    </p>
  );
}

export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="rounded-sm border border-dashed border-line bg-sheet px-8 py-14 text-center">
      <h2 className="text-xl font-semibold">{title}</h2>
      <div className="mx-auto mt-2 max-w-prose text-soft">{children}</div>
    </div>
  );
}

export function Bar({ share, label }: { share: number; label: string }) {
  return (
    <progress
      aria-label={label}
      max={1}
      value={share}
      className="h-2 w-full appearance-none overflow-hidden rounded-full bg-well [&::-webkit-progress-bar]:bg-well [&::-webkit-progress-value]:bg-accent"
    />
  );
}

/** A label over a value; a dash stands for what is not known. What it means is one point of the mouse away. */
export function Fact({ name, hint, children }: { name: string; hint?: string; children: ReactNode }) {
  return (
    <div>
      <dt className="text-note text-soft">
        {hint ? (
          <span title={hint} className="cursor-help underline decoration-dotted underline-offset-2">
            {name}
          </span>
        ) : (
          name
        )}
      </dt>
      <dd className="font-medium">{children ?? "–"}</dd>
    </div>
  );
}

/** Asks once more before something is lost. */
export function ConfirmButton({
  question,
  act,
  children,
}: {
  question: string;
  act: () => void;
  children: ReactNode;
}) {
  const [open, setOpen] = useState(false);
  const close = () => setOpen(false);
  return (
    <>
      <Button onClick={() => setOpen(true)}>{children}</Button>
      <Dialog open={open} onClose={close} className="relative z-10">
        <div className="fixed inset-0 grid place-items-center bg-black/40 p-4">
          <DialogPanel className="max-w-md rounded-sm bg-sheet p-6">
            <DialogTitle className="text-lg font-semibold">{question}</DialogTitle>
            <div className="mt-5 flex gap-3">
              <Button tone="main" onClick={act}>
                {children}
              </Button>
              <Button onClick={close}>Keep it</Button>
            </div>
          </DialogPanel>
        </div>
      </Dialog>
    </>
  );
}

/** A heading that takes the focus when somebody comes to its page from another one, so that reading goes on there. */
export function useArrival<T extends HTMLElement>() {
  const heading = useRef<T>(null);
  const { pathname, key } = useLocation();
  const came = useRef(key !== "default");
  useEffect(() => {
    if (came.current) heading.current?.focus({ preventScroll: true });
    came.current = true;
  }, [pathname]);
  return heading;
}

/** Whether a page stands within another one that has the first heading already. */
export const Within = createContext(false);

export function Page({
  title,
  actions,
  wide = false,
  children,
}: {
  title: string;
  actions?: ReactNode;
  /** Whether it uses all of a large screen: for what stands side by side, not for lines of text. */
  wide?: boolean;
  children: ReactNode;
}) {
  const Heading = useContext(Within) ? "h2" : "h1";
  const arrived = useArrival<HTMLHeadingElement>();
  return (
    <div className={`mx-auto w-full px-6 py-6 ${wide ? "" : "max-w-310"}`}>
      <title>{`${title} – Mistline`}</title>
      <header className="mb-5 flex flex-wrap items-end justify-between gap-3">
        <Heading ref={arrived} tabIndex={-1} className="text-3xl font-semibold outline-none">
          {title}
        </Heading>
        <div className="flex gap-2">{actions}</div>
      </header>
      {children}
    </div>
  );
}
