import "@fontsource-variable/archivo";
import "./styles.css";

import { CssBaseline, ThemeProvider } from "@mui/material";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, RouterProvider } from "react-router-dom";

import { startNews } from "./api/news";
import { ContactSheet } from "./contact/ContactSheet";
import { Messages } from "./Messages";
import { SignIn } from "./SignIn";
import { usePreferences } from "./state/preferences";
import { themeFor } from "./theme";
import { Workbench } from "./workbench/Workbench";

const router = createBrowserRouter([
  { path: "/", element: <ContactSheet /> },
  { path: "/scenes/:sceneId/:station?", element: <Workbench /> },
  { path: "*", element: <ContactSheet /> },
]);

function App() {
  const ground = usePreferences((s) => s.ground);
  document.documentElement.dataset.ground = ground;
  return (
    <ThemeProvider theme={themeFor(ground)}>
      <CssBaseline />
      <RouterProvider router={router} />
      <Messages />
      <SignIn />
    </ThemeProvider>
  );
}

startNews();
createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <App />
  </StrictMode>,
);
