import { Check, X } from "lucide-react";
import { useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { Link } from "react-router";
import { reviewItem, unreviewItem, type Item } from "../api/client";
import { clock, when } from "../lib/format";
import { faultWords } from "../lib/verdict";
import { Verdict } from "./parts";
import { Thumb } from "./picture";

/** Whether a person found a verdict right: undefined where nobody has looked. */
export const rightOf = (i: Pick<Item, "route" | "review">): boolean | undefined => (i.review === "" ? undefined : (i.review === "good") === (i.route === "pass"));

/** What a wrong verdict is called. */
export const wrongWord = (i: Pick<Item, "route">): string => (i.route === "pass" ? "missed reject" : "false reject");

/** Says of a verdict that it is right or wrong, or takes that back. */
export function Marks({ item, said }: { item: Item; said?: (review: Item["review"]) => void }) {
  const client = useQueryClient();
  const [review, setReview] = useState(item.review);
  const [trouble, setTrouble] = useState("");
  const [was, setWas] = useState(item.review);
  if (was !== item.review) {
    setWas(item.review);
    setReview(item.review);
  }
  const right = rightOf({ ...item, review });
  const say = async (wanted: boolean) => {
    const before = review;
    const next = right === wanted ? "" : wanted === (item.route === "pass") ? "good" : "bad";
    setReview(next);
    try {
      await (next === "" ? unreviewItem(item.id) : reviewItem(item.id, next === "good"));
      setTrouble("");
      said?.(next);
      void client.invalidateQueries({ queryKey: ["rates"] });
    } catch (x) {
      setReview(before);
      setTrouble(x instanceof Error ? x.message : String(x));
    }
  };
  const look = "inline-flex min-h-11 flex-1 items-center justify-center gap-1 border border-hairline px-2 text-sm font-medium";
  return (
    <span className="block">
      <span role="group" aria-label={`Verdict of ${item.id}`} className="flex">
        <button type="button" aria-pressed={right === true} onClick={() => void say(true)} className={`${look} rounded-l-md ${right === true ? "bg-ink text-paper" : "bg-sheet hover:bg-wash"}`}>
          <Check size={16} aria-hidden /> Right
        </button>
        <button type="button" aria-pressed={right === false} title={`It is a ${wrongWord(item)}`} onClick={() => void say(false)} className={`${look} rounded-r-md border-l-0 ${right === false ? "bg-reject text-paper" : "bg-sheet hover:bg-wash"}`}>
          <X size={16} aria-hidden /> Wrong
        </button>
      </span>
      {trouble && (
        <span role="alert" className="block text-sm text-reject">
          {trouble}
        </span>
      )}
    </span>
  );
}

/** One item as a picture with its verdict, what it says, and right or wrong. */
export function Tile({ item, search = "", children }: { item: Item; search?: string; children?: ReactNode }) {
  return (
    <li className="flex flex-col gap-1 bg-sheet">
      <Link to={`/items/${item.id}${search}`} className="block text-ink no-underline" aria-label={`${item.id}: ${item.sentence}`}>
        <Thumb id={item.id} picture={item.picture} />
        <span className="flex items-center justify-between gap-2 pt-1 text-sm">
          {children ?? <Verdict item={item} />}
          <span className="text-ink-2" title={when(item.time)}>
            {clock(item.time)}
          </span>
        </span>
        <span className="line-clamp-2 min-h-10 text-sm text-ink-2">{item.fault ? (faultWords[item.fault] ?? item.fault) : item.sentence}</span>
      </Link>
      <Marks item={item} />
    </li>
  );
}

/** Tiles side by side. */
export const Strip = ({ label, children }: { label: string; children: ReactNode }) => (
  <ul aria-label={label} className="m-0 grid list-none grid-cols-[repeat(auto-fill,minmax(10.5rem,1fr))] gap-3 p-0">
    {children}
  </ul>
);
