import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Play, Square } from "lucide-react";
import { useState } from "react";
import { startLine, stopLine, type Line } from "../api/client";
import { lineName } from "../lib/format";
import { useKeys } from "./keys";
import { Button, Confirm } from "./parts";

/** Starts and stops a line with its belt. Where the belt must be cleared first, it asks. */
export function StartStop({ line }: { line: Line }) {
  const client = useQueryClient();
  const [asking, setAsking] = useState<"" | "stop" | "clear">("");
  const done = (fresh: Line) => client.setQueryData<Line[]>(["lines"], (old) => old?.map((x) => (x.id === fresh.id ? fresh : x)));
  const start = useMutation({
    mutationFn: (cleared: boolean) => startLine(line.id, cleared),
    onSuccess: done,
    onError: () => line.after_stop === "hold" && setAsking("clear"),
  });
  const stop = useMutation({ mutationFn: () => stopLine(line.id), onSuccess: done });
  const running = line.status === "running";
  const act = () => (running ? setAsking("stop") : start.mutate(false));
  useKeys({ s: act });
  const error = asking === "clear" ? null : (start.error ?? stop.error);
  const under = line.underway === 1 ? "1 item stays" : `${line.underway} items stay`;
  return (
    <>
      {error && (
        <span role="alert" className="max-w-80 text-base text-reject">
          {error.message}
        </span>
      )}
      <Button kind="main" shortcut="s" hint={running ? "Stop the line and its belt" : "Start the line and its belt"} disabled={start.isPending || stop.isPending} onClick={act}>
        {running ? <Square size={18} aria-hidden /> : <Play size={18} aria-hidden />}
        {running ? "Stop" : line.status === "held" ? "Start again" : "Start"}
      </Button>
      <Confirm
        open={asking === "stop"}
        onOpenChange={(o) => setAsking(o ? "stop" : "")}
        title={`Stop ${lineName(line.name)}?`}
        text={`The belt stops. ${under} on it between trigger and ejectors; when you start again, those that did not pass are still ejected.`}
        yes="Stop"
        onYes={() => stop.mutate()}
      />
      <Confirm
        open={asking === "clear"}
        onOpenChange={(o) => setAsking(o ? "clear" : "")}
        title="Is the belt cleared?"
        text={`${start.error?.message ?? ""} Take everything off between the trigger and the last ejector first: what is left there is not inspected, and not rejected.`}
        yes="It is cleared: start"
        onYes={() => start.mutate(true)}
      />
    </>
  );
}
