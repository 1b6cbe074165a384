import { useSearchParams } from "react-router";

/** The filters in the address, and what changes several of them at once; an empty value takes one out. */
export function useFilters(): [URLSearchParams, (changes: Record<string, string>) => void] {
  const [params, setParams] = useSearchParams();
  return [
    params,
    (changes) => {
      const next = new URLSearchParams(params);
      for (const [name, value] of Object.entries(changes)) {
        if (value) next.set(name, value);
        else next.delete(name);
      }
      setParams(next, { replace: true });
    },
  ];
}
