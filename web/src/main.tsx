import "@fontsource-variable/jetbrains-mono";
import "@fontsource-variable/sofia-sans";
import "@fontsource-variable/sofia-sans-semi-condensed";
import "@fontsource/stix-two-math";
import "uplot/dist/uPlot.min.css";
import "./style.css";
import "./ui/theme";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Start } from "./shell/Start";

const client = new QueryClient({
  defaultOptions: { queries: { retry: 1, refetchOnWindowFocus: false, staleTime: 2_000 } },
});

const page = document.getElementById("page");
if (page) {
  createRoot(page).render(
    <QueryClientProvider client={client}>
      <BrowserRouter>
        <Start />
      </BrowserRouter>
    </QueryClientProvider>,
  );
}
