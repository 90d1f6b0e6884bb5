/** What surrounds a page of the application, for component tests, without what a real browser alone can do. */
import { i18n } from "@lingui/core";
import { I18nProvider } from "@lingui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen, waitFor } from "@testing-library/react";
import userEvent, { PointerEventsCheckLevel, type UserEvent } from "@testing-library/user-event";
import { createMemoryRouter, Outlet, RouterProvider } from "react-router";
import { CommandsProvider } from "../components/commands";
import { HistoryProvider, UndoButtons } from "../components/history";
import { ToastProvider } from "../components/Toasts";
import BenchPage from "../pages/BenchPage";
import PartLayout from "../pages/PartLayout";

function Around() {
  return (
    <ToastProvider>
      <HistoryProvider>
        <CommandsProvider>
          <UndoButtons />
          <Outlet />
        </CommandsProvider>
      </HistoryProvider>
    </ToastProvider>
  );
}

/** A bench as somebody has just opened it, and hands to use it. */
export async function openBench(): Promise<{ user: UserEvent; queries: QueryClient }> {
  const queries = new QueryClient({ defaultOptions: { queries: { staleTime: 30_000, retry: false, networkMode: "always" }, mutations: { networkMode: "always" } } });
  const router = createMemoryRouter(
    [{ element: <Around />, children: [{ path: "/parts/:partId", element: <PartLayout />, children: [{ index: true, element: <BenchPage /> }] }] }],
    { initialEntries: ["/parts/1"] },
  );
  render(
    <I18nProvider i18n={i18n}>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </I18nProvider>,
  );
  await waitFor(() => cell("Walls in lines"), { timeout: 10_000 });
  return { user: userEvent.setup({ delay: null, pointerEventsCheck: PointerEventsCheckLevel.Never }), queries };
}

/** A cell's button by its row, of the first column or another. */
export function cell(row: string, column = "Everyday"): HTMLElement {
  const found = document.querySelector<HTMLElement>(`button[aria-label^="${row}, ${column}:"]`);
  if (found === null) throw new Error(`no cell ${row}, ${column}`);
  return found;
}

/** What a cell holds, as it is read out after its name. */
export function held(row: string, column = "Everyday"): string {
  return (cell(row, column).getAttribute("aria-label") ?? "").split(": ").slice(1).join(": ");
}

/** Type into a cell and keep it. */
export async function setCell(user: UserEvent, row: string, text: string, column = "Everyday"): Promise<void> {
  await user.click(cell(row, column));
  const field = await screen.findByRole("textbox", { name: `${row}, ${column}` });
  await user.clear(field);
  await user.type(field, `${text}{Enter}`);
}
