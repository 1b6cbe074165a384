import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, Navigate, RouterProvider } from "react-router";
import { NoAnswer } from "./api/client";
import { AlarmsPage } from "./pages/alarms";
import { BoardPage, WallPage } from "./pages/board";
import { BoardsPage } from "./pages/boards";
import { CameraPage } from "./pages/camera";
import { FloorPage } from "./pages/floor";
import { FrontPage } from "./pages/front";
import { ItemPage } from "./pages/item";
import { ItemsPage } from "./pages/items";
import { LinePage } from "./pages/line";
import { LinksPage } from "./pages/links";
import { LostPage } from "./pages/lost";
import { ReadingPage } from "./pages/reading";
import { RecipePage } from "./pages/recipe";
import { RecipesPage } from "./pages/recipes";
import { ReportPage } from "./pages/report";
import { ReviewPage } from "./pages/review";
import { SignalsPage } from "./pages/signals";
import { StatisticsPage } from "./pages/statistics";
import { StationPage } from "./pages/station";
import "./styles.css";
import { Shell } from "./ui/shell";

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      refetchOnWindowFocus: false,
      // An answer that says no stays a no; only silence is asked again.
      retry: (failures, error) => error instanceof NoAnswer && failures < 3,
      retryDelay: 1500,
    },
  },
});

const router = createBrowserRouter([
  { path: "/lines/:id/front", element: <FrontPage /> },
  { path: "/boards/:name/wall", element: <WallPage /> },
  {
    element: <Shell />,
    children: [
      { path: "/", element: <Navigate to="/floor" replace /> },
      { path: "/floor", element: <FloorPage /> },
      { path: "/lines/:id", element: <LinePage /> },
      { path: "/stations/:id", element: <StationPage /> },
      { path: "/stations/:id/camera", element: <CameraPage /> },
      { path: "/recipes", element: <RecipesPage /> },
      { path: "/recipes/:product/:role/:tab?", element: <RecipePage /> },
      { path: "/statistics/reading", element: <ReadingPage /> },
      { path: "/boards", element: <BoardsPage /> },
      { path: "/boards/:name", element: <BoardPage /> },
      { path: "/report/:of", element: <ReportPage /> },
      { path: "/review", element: <ReviewPage /> },
      { path: "/statistics", element: <StatisticsPage /> },
      { path: "/alarms", element: <AlarmsPage /> },
      { path: "/links", element: <LinksPage /> },
      { path: "/signals/:id?", element: <SignalsPage /> },
      { path: "/items", element: <ItemsPage /> },
      { path: "/items/:id", element: <ItemPage /> },
      { path: "*", element: <LostPage /> },
    ],
  },
]);

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <Tooltip.Provider>
        <RouterProvider router={router} />
      </Tooltip.Provider>
    </QueryClientProvider>
  </StrictMode>,
);
