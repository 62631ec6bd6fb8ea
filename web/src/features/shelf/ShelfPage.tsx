import { useMemo } from "react";
import { useSearchParams } from "react-router";
import { useKinds, useSources } from "../../api/queries";
import { problem } from "../../api/live";
import { Importer } from "../../ui/Importer";
import { Button, Empty, Page, Trouble } from "../../ui/parts";
import { useImport } from "../../ui/useImport";
import { Asking } from "./Asking";
import { readAsked } from "./asked";
import { SourceCard } from "./SourceCard";
import { SourceList } from "./SourceList";

/** The sources, with what was read and measured of each. */
export function ShelfPage() {
  const [params] = useSearchParams();
  const asked = useMemo(() => readAsked(params), [params]);
  const asking = Object.keys(asked).length > 0;
  const sources = useSources(asked);
  const kinds = useKinds().data ?? [];
  const importing = useImport("sources");
  const items = sources.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <Page title="Shelf" wide>
      <Importer
        {...importing}
        accept="image/*,video/*,.dpx,.exr,.mkv,.mxf,.ts,.mts,.m2ts,.y4m,.avi,.mov,.zip"
      >
        or drop them here: stills (PNG, JPEG, TIFF, WebP, DPX, EXR, up to 200 megapixels), clips (MP4, MOV,
        Matroska, MXF, AVI, TS, Y4M) and folders of numbered frames. Originals stay untouched.
      </Importer>
      <Trouble error={problem(sources)} />
      {sources.isSuccess && (items.length > 0 || asking) && (
        <Asking
          kinds={kinds}
          found={`${items.length}${sources.hasNextPage ? " and more" : ""} source${items.length === 1 ? "" : "s"}${asking ? " found" : ""}`}
        />
      )}
      {sources.isSuccess && items.length === 0 && asking && (
        <Empty title="Nothing on the Shelf is like that">Ask for less: fewer words, or every kind.</Empty>
      )}
      {sources.isSuccess && items.length === 0 && !asking && (
        <Empty title="The Shelf is empty">
          Bring in a large, clean original: shrinking it and enlarging it again by every method shows which
          one comes closest to the real thing.
        </Empty>
      )}
      {params.get("as") === "list" && items.length > 0 ? (
        <SourceList sources={items} kinds={kinds} />
      ) : (
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(min(100%,36rem),1fr))] gap-3">
          {items.map((source) => (
            <SourceCard key={source.id} source={source} kinds={kinds} />
          ))}
        </ul>
      )}
      {sources.hasNextPage && (
        <Button className="mt-4" onClick={() => void sources.fetchNextPage()}>
          Show more
        </Button>
      )}
    </Page>
  );
}
