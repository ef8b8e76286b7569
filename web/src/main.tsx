import { QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./app";
import "./index.css";
import { newClient } from "./ui/connection";
import { applyTheme } from "./ui/theme";

applyTheme();
// Who follows the system follows it while it changes.
matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => applyTheme());

const client = newClient();

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
