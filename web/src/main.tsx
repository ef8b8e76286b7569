import { MutationCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Fault } from "./api/client";
import { who } from "./api/queries";
import { App } from "./app";
import "./index.css";
import { applyTheme } from "./ui/theme";

applyTheme();

const client: QueryClient = new QueryClient({
  mutationCache: new MutationCache({
    onError: (e) => {
      if (e instanceof Fault && e.problem.status === 401) void client.invalidateQueries({ queryKey: who.queryKey });
    },
  }),
  defaultOptions: {
    queries: {
      retry: (n, e) => n < 3 && e instanceof Fault && e.problem.status === 0,
      staleTime: 2_000,
      refetchOnWindowFocus: false,
    },
  },
});

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <Tooltip.Provider>
          <BrowserRouter>
            <App />
          </BrowserRouter>
        </Tooltip.Provider>
      </QueryClientProvider>
    </StrictMode>,
  );
