import { useEffect } from "react";

/** Whether a key press belongs to a field that is being typed into. */
export const typing = (e: KeyboardEvent): boolean =>
  e.target instanceof HTMLElement && (e.target.isContentEditable || ["INPUT", "SELECT", "TEXTAREA"].includes(e.target.tagName));

/** Calls the action of a key, unless someone is typing or a dialog is open. */
export function useKeys(actions: Record<string, () => void>): void {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if (e.ctrlKey || e.metaKey || e.altKey || typing(e)) return;
      if (document.querySelector('[role="dialog"],[role="alertdialog"]')) return;
      const f = actions[e.key] ?? actions[e.key.toLowerCase()];
      if (f) {
        e.preventDefault();
        f();
      }
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [actions]);
}
