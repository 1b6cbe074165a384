import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { boards, keepBoard, stations, type BoardPanel } from "../api/client";
import { when } from "../lib/format";
import { useKeys } from "../ui/keys";
import { Button, Heading, Trouble, Waiting } from "../ui/parts";

/** The boards that people have arranged, and the way to a new one. */
export function BoardsPage() {
  const q = useQuery({ queryKey: ["boards"], queryFn: boards });
  const list = useQuery({ queryKey: ["stations"], queryFn: stations });
  const client = useQueryClient();
  const go = useNavigate();
  useKeys({ Escape: () => go("/floor") });
  const [name, setName] = useState("");
  const [said, setSaid] = useState("");
  const begin = async () => {
    const first = list.data?.[0];
    // A new board begins with what most people look at.
    const panels: BoardPanel[] = first
      ? [
          { kind: "picture", station: first.id, w: 6, h: 5 },
          { kind: "counters", station: first.id, w: 3, h: 2 },
          { kind: "log", station: first.id, w: 3, h: 5 },
          { kind: "strip", station: first.id, w: 12, h: 2 },
        ]
      : [];
    try {
      const b = await keepBoard(name.trim(), { panels, who: localStorage.getItem("who") ?? "" });
      void client.invalidateQueries({ queryKey: ["boards"] });
      void go(`/boards/${encodeURIComponent(b.name)}`);
    } catch (x) {
      setSaid(x instanceof Error ? x.message : String(x));
    }
  };
  return (
    <>
      <Heading title="Boards">
        <span>What you want to look at, arranged as you like it; on a desk, a tablet or a wall.</span>
      </Heading>
      <form
        className="flex flex-wrap items-end gap-3 border-b border-hairline px-5 py-3"
        onSubmit={(e) => {
          e.preventDefault();
          void begin();
        }}
      >
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Name of a new board
          <input className="min-h-11 w-64 rounded-md border border-hairline bg-sheet px-3 text-base text-ink" value={name} onChange={(e) => setName(e.target.value)} placeholder="Nora, morning" />
        </label>
        <Button kind="main" type="submit" disabled={name.trim() === "" || !list.isSuccess}>
          Begin it
        </Button>
        {said && (
          <span role="alert" className="text-base text-reject">
            {said}
          </span>
        )}
      </form>
      {q.isPending ? (
        <Waiting what="the boards" />
      ) : q.isError ? (
        <Trouble error={q.error} retry={() => void q.refetch()} />
      ) : q.data.length === 0 ? (
        <p className="px-5 py-6 text-base text-ink-2">There is none yet. Give one a name and begin it; you arrange it afterwards.</p>
      ) : (
        <ul className="m-0 list-none p-0">
          {q.data.map((b) => (
            <li key={b.name} className="border-b border-hairline">
              <Link to={`/boards/${encodeURIComponent(b.name)}`} className="flex flex-wrap items-center gap-x-6 px-5 py-3 text-ink no-underline hover:bg-wash">
                <span className="text-lg font-semibold">{b.name}</span>
                <span className="text-ink-2">{`${b.panels.length} panels${b.who ? `, by ${b.who}` : ""}, ${when(b.time)}`}</span>
              </Link>
            </li>
          ))}
        </ul>
      )}
    </>
  );
}
