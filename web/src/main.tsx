import { QueryClientProvider } from "@tanstack/react-query";
import { setNonce } from "get-nonce";
import { Tooltip } from "radix-ui";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./app";
import "./index.css";
import { newClient } from "./ui/connection";
import { nonce } from "./ui/nonce";
import { applyTheme } from "./ui/theme";

// Style elements that are made here carry the nonce of the page, which its content security policy asks for.
setNonce(nonce);
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
