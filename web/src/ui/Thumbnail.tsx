import { useQuery } from "@tanstack/react-query";
import DataLoader from "dataloader";
import { answer, client, thumbnail } from "../api/client";

/** The small pictures that a list shows are fetched together; one that must be made first is fetched by itself. */
const pictures = new DataLoader<string, string>(
  async (of) => {
    const { png } = await answer(client.GET("/api/thumbnails", { params: { query: { of: [...of] } } }));
    return of.map((id) => (png[id] ? `data:image/png;base64,${png[id]}` : thumbnail(id)));
  },
  { cache: false, maxBatchSize: 60 },
);

/** A picture in a list, by its first frame. */
export function Thumbnail({ picture, className = "" }: { picture: string; className?: string }) {
  const small = useQuery({
    queryKey: ["thumbnail", picture],
    queryFn: () => pictures.load(picture),
    staleTime: "static", // the pixels of a picture never change
  });
  return small.data ? <img src={small.data} alt="" className={className} /> : null;
}
