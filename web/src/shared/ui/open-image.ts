import { useNavigate } from "@tanstack/react-router";
import { useSite } from "./site-context";

/** Opens an image of the site; 0 is one that is not the site's. */
export function useOpenImage(): (imageId: number) => void {
  const siteId = String(useSite().id);
  const navigate = useNavigate();
  return (imageId) => {
    if (imageId)
      void navigate({ to: "/sites/$siteId/library/$imageId", params: { siteId, imageId: String(imageId) } });
  };
}
