import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Plus, Upload } from "lucide-react";
import { Dialog } from "radix-ui";
import { useRef, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { stations } from "../api/client";
import { draftPictureURL, importRecipe, look, newRecipe, recipes, uploadRecipe, type Draft, type Recipe } from "../api/workbench";
import { short, when } from "../lib/format";
import { useKeys } from "../ui/keys";
import { Button, Empty, Heading, Trouble, Waiting } from "../ui/parts";
import { field } from "./recipe/form";

/** All recipes: what is released, how the draft stands, what runs it. */
export function RecipesPage() {
  const list = useQuery({ queryKey: ["recipes"], queryFn: recipes });
  const [params, setParams] = useSearchParams();
  const [making, setMaking] = useState(params.has("begin"));
  const [trouble, setTrouble] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const client = useQueryClient();
  const go = useNavigate();
  useKeys({ n: () => setMaking(true), Escape: () => go("/floor") });
  const opened = (d: Draft) => {
    void client.invalidateQueries({ queryKey: ["recipes"] });
    void go(`/recipes/${d.product}/${d.role}/checks`);
  };
  const bring = (f?: File) => {
    if (!f) return;
    setTrouble("");
    importRecipe(f)
      .then(opened)
      .catch((x: unknown) => setTrouble(x instanceof Error ? x.message : String(x)));
  };
  return (
    <>
      <Heading
        title="Recipes"
        action={
          <span className="flex gap-2">
            <input ref={file} type="file" accept=".ricetta" className="hidden" data-testid="import-file" onChange={(e) => bring(e.target.files?.[0])} />
            <Button onClick={() => file.current?.click()}>
              <Upload size={18} aria-hidden /> From a file
            </Button>
            <Button kind="main" shortcut="n" hint="Begin a recipe" onClick={() => setMaking(true)}>
              <Plus size={18} aria-hidden /> New recipe
            </Button>
          </span>
        }
      >
        {list.data && <span>{list.data.length}</span>}
      </Heading>
      {trouble && (
        <p role="alert" className="m-0 border-b border-hairline px-5 py-2 text-base text-reject">
          {trouble}
        </p>
      )}
      {list.isPending ? (
        <Waiting what="the recipes" />
      ) : list.isError ? (
        <Trouble error={list.error} retry={() => void list.refetch()} />
      ) : list.data.length === 0 ? (
        <Empty title="No recipes yet" action={<Button kind="main" onClick={() => setMaking(true)}>New recipe</Button>}>
          A recipe says what to look for on one product. It begins with the picture of a good item.
        </Empty>
      ) : (
        <table className="w-full border-collapse text-base">
          <thead>
            <tr className="border-b border-hairline text-left text-sm text-ink-2">
              <th className="w-36 py-2 pl-5 font-normal">Reference</th>
              <th className="font-normal">Product</th>
              <th className="font-normal">Released</th>
              <th className="font-normal">Draft</th>
              <th className="pr-5 font-normal">Runs on</th>
            </tr>
          </thead>
          <tbody>
            {list.data.map((r) => (
              <Row key={`${r.product}/${r.role}`} r={r} />
            ))}
          </tbody>
        </table>
      )}
      {making && <NewRecipe at={params.get("begin") ?? ""} close={() => {
            setMaking(false);
            setParams({}, { replace: true });
          }} opened={opened} known={list.data ?? []} />}
    </>
  );
}

function Row({ r }: { r: Recipe }) {
  const draft = r.problems > 0 ? (r.problems === 1 ? "has a problem" : `has ${r.problems} problems`) : r.edited ? (r.revision ? "differs from what is released" : "ready to be released") : "as released";
  return (
    <tr className="relative border-b border-hairline hover:bg-wash focus-within:bg-wash">
      <td className="py-1.5 pl-5 pr-4">
        <span className="block h-18 w-24 overflow-hidden bg-pane">{r.reference && <img src={draftPictureURL(r, r.reference, "thumb")} alt="" className="h-full w-full object-contain" />}</span>
      </td>
      <td className="pr-4">
        <Link to={`/recipes/${r.product}/${r.role}/checks`} className="block text-lg font-medium text-ink no-underline after:absolute after:inset-0">
          {r.product}
        </Link>
        <span className="text-sm text-ink-2">
          {r.role}, {r.checks === 1 ? "1 check" : `${r.checks} checks`}
          {r.base ? `, variant of ${r.base}` : ""}
        </span>
      </td>
      <td className="pr-4">
        {r.revision ? <span className="font-mono text-sm">{short(r.revision)}</span> : <span className="text-ink-2">{r.state === "retired" ? "retired" : "nothing yet"}</span>}
        {r.time && (
          <span className="block text-sm text-ink-2">
            {when(r.time)} by {r.who}
          </span>
        )}
      </td>
      <td className={`pr-4 ${r.problems > 0 ? "text-reject" : ""}`}>{draft}</td>
      <td className="pr-5">
        {r.stations.length === 0 ? <span className="text-ink-2">no station</span> : r.stations.join(", ")}
        {r.behind && <span className="block text-sm text-accent-text">in another revision than the released one</span>}
      </td>
    </tr>
  );
}

type Begin = "upload" | "look" | "station" | "copy" | "variant";

/** Begins a recipe: from a picture, from the belt, or like another recipe. */
function NewRecipe({ close, opened, known, at }: { close: () => void; opened: (d: Draft) => void; known: Recipe[]; at: string }) {
  const lines = useQuery({ queryKey: ["stations"], queryFn: stations });
  const [product, setProduct] = useState("");
  const [role, setRole] = useState("top");
  const [begin, setBegin] = useState<Begin>(at ? "look" : "upload");
  const [from, setFrom] = useState(at);
  const [picture, setPicture] = useState<File | null>(null);
  const [trouble, setTrouble] = useState("");
  const [busy, setBusy] = useState(false);
  const ready = product.trim() !== "" && role.trim() !== "" && (begin === "upload" ? picture !== null : from !== "");
  const go = () => {
    setBusy(true);
    setTrouble("");
    const like = known.find((r) => `${r.product}/${r.role}` === from);
    const k = { product: product.trim(), role: role.trim() };
    const asked =
      begin === "upload" && picture
        ? uploadRecipe(k, picture)
        : begin === "look"
          ? look(from).then(() => newRecipe({ ...k, station: from, look: true }))
          : begin === "station"
          ? newRecipe({ ...k, station: from })
          : newRecipe({ ...k, from: { product: like?.product ?? "", role: like?.role ?? "" }, variant: begin === "variant" });
    asked.then(opened).catch((x: unknown) => {
      setTrouble(x instanceof Error ? x.message : String(x));
      setBusy(false);
    });
  };
  const choices: [Begin, string][] = [
    ["upload", "A picture file of a good item"],
    ["look", "What the camera of a station sees now"],
    ["station", "The last picture that a station has judged"],
    ["copy", "A copy of another recipe"],
    ["variant", "A variant of another recipe: the same but for a few values"],
  ];
  return (
    <Dialog.Root open onOpenChange={(o) => !o && close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/50" />
        <Dialog.Content aria-describedby={undefined} className="fixed left-1/2 top-1/2 z-50 w-[min(34rem,calc(100vw-2rem))] -translate-x-1/2 -translate-y-1/2 rounded-lg bg-sheet p-6">
          <Dialog.Title className="m-0 text-xl font-semibold">New recipe</Dialog.Title>
          <form
            className="mt-4 flex flex-col gap-3"
            onSubmit={(e) => {
              e.preventDefault();
              if (ready) go();
            }}
          >
            <div className="grid grid-cols-2 gap-3">
              <label className="flex flex-col gap-1 text-sm text-ink-2">
                Product code
                <input className={field} value={product} autoFocus placeholder="as in crayon-box-8" onChange={(e) => setProduct(e.target.value)} />
              </label>
              <label className="flex flex-col gap-1 text-sm text-ink-2">
                Role of the stations
                <input className={field} value={role} onChange={(e) => setRole(e.target.value)} />
              </label>
            </div>
            <fieldset className="m-0 border-0 p-0">
              <legend className="text-sm text-ink-2">It begins with</legend>
              {choices.map(([v, text]) => (
                <label key={v} className="flex min-h-10 items-center gap-2 text-base">
                  <input type="radio" name="begin" className="h-5 w-5" checked={begin === v} onChange={() => (setBegin(v), setFrom(""))} />
                  {text}
                </label>
              ))}
            </fieldset>
            {begin === "upload" && <input aria-label="Picture file" type="file" accept="image/png,image/jpeg,image/bmp,image/tiff" data-testid="reference-file" className="text-base" onChange={(e) => setPicture(e.target.files?.[0] ?? null)} />}
            {(begin === "station" || begin === "look") && (
              <select aria-label="Station" className={field} value={from} onChange={(e) => setFrom(e.target.value)}>
                <option value="">Choose a station</option>
                {lines.data?.map((s) => (
                  <option key={s.id} value={s.id}>
                    {s.name} ({s.id})
                  </option>
                ))}
              </select>
            )}
            {(begin === "copy" || begin === "variant") && (
              <select aria-label="Recipe" className={field} value={from} onChange={(e) => setFrom(e.target.value)}>
                <option value="">Choose a recipe</option>
                {known.map((r) => (
                  <option key={`${r.product}/${r.role}`} value={`${r.product}/${r.role}`}>
                    {r.product} {r.role}
                  </option>
                ))}
              </select>
            )}
            {trouble && (
              <p role="alert" className="m-0 text-base text-reject">
                {trouble}
              </p>
            )}
            <div className="mt-2 flex justify-end gap-3">
              <Button onClick={close}>Go back</Button>
              <Button kind="main" type="submit" disabled={!ready || busy}>
                Begin
              </Button>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
