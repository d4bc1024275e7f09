import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { LetIn } from "@/app/let-in";
import { router } from "@/app/router";
import { Notices } from "@/shared/ui/notices";
import "./styles.css";

const queries = new QueryClient({ defaultOptions: { queries: { staleTime: 5_000, retry: 1 } } });
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <Notices>
          <LetIn>
            <RouterProvider router={router} />
          </LetIn>
        </Notices>
      </QueryClientProvider>
    </StrictMode>,
  );
}
