import { useCallback, useState } from "react";

/** Overlays have one switch, and one for each check. The choice stays on this screen. */
export function useOverlays() {
  const [overlays, setOverlays] = useState(() => localStorage.getItem("overlays") !== "off");
  const [hidden, setHidden] = useState<Set<string>>(new Set());
  const toggleAll = useCallback(
    () =>
      setOverlays((v) => {
        localStorage.setItem("overlays", v ? "off" : "on");
        return !v;
      }),
    [],
  );
  const toggle = useCallback(
    (check: string) =>
      setHidden((h) => {
        const next = new Set(h);
        if (!next.delete(check)) next.add(check);
        return next;
      }),
    [],
  );
  return { overlays, hidden, toggleAll, toggle };
}
