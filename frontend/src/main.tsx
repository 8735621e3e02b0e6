import "@fontsource-variable/archivo";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./App";
import { GlobalStyle } from "./ui/theme";

const root = document.getElementById("root");
if (!root) throw new Error("the page has no place for the application");
createRoot(root).render(
  <StrictMode>
    <GlobalStyle />
    <App />
  </StrictMode>,
);
