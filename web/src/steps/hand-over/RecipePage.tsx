import { Button, Checkbox, FileButton, NumberInput, TagsInput, Textarea, TextInput } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { type Recipe, recipesKey, useRecipes } from '../../api/calls';
import { Refusal } from '../../api/client';
import { changeRecipe, removeRecipe, saveRecipe } from '../../api/handOver';
import { ColourField, colourOf, colourText } from '../../ui/ColourField';
import form from '../../ui/form.module.css';
import { Panel } from '../../ui/Panel';
import { ExtrasFields } from './ExtrasFields';
import classes from './HandOver.module.css';
import { ImagesFields, withItsBits } from './ImagesFields';
import { RecipePick } from './RecipePick';
import { ScaleFields } from './ScaleFields';
import { SheetFields } from './SheetFields';
import type { StepProps } from './useHandingOver';
import { recipePage as words } from './words';

/** Everything that a recipe says, and the recipes of the project. */
export function RecipePage({ project, rows, canEdit, handing }: StepProps) {
  const { recipe, plan } = handing;
  if (!recipe) return <Panel title={words.recipe}>{null}</Panel>;
  const change = (said: Partial<Recipe>) => handing.setRecipe({ ...recipe, ...said });
  const names = [...new Set(plan?.parts.flatMap((part) => part.path) ?? [])].sort();
  return (
    <Panel title={words.recipe}>
      <RecipePick project={project} recipe={recipe} onPick={handing.setRecipe} />
      <div className={form.form} style={{ marginTop: 12 }}>
        <TextInput
          size="xs"
          label={words.recipeName}
          maxLength={100}
          value={recipe.name}
          onChange={(event) => change({ name: event.currentTarget.value })}
        />
        <Textarea
          size="xs"
          label={words.purpose}
          autosize
          maxLength={500}
          value={recipe.purpose}
          onChange={(event) => change({ purpose: event.currentTarget.value })}
        />
        <Keeping project={project} recipe={recipe} canEdit={canEdit} onPick={handing.setRecipe} />
      </div>
      <div className={form.form}>
        <h3>{words.partImages}</h3>
        <ImagesFields
          images={recipe.images}
          hasBits
          onChange={(images) => change({ images: withItsBits({ ...recipe.images, ...images }) })}
        />
      </div>
      <ImagesForSome recipe={recipe} names={names} change={change} />
      <div className={form.form}>
        <h3>{words.sizes}</h3>
        <ScaleFields scales={recipe.scales} onChange={(scales) => change({ scales })} />
        <Checkbox
          size="xs"
          label={words.pixelArtNoSmoothingWhole}
          checked={!recipe.smooth}
          onChange={(event) => change({ smooth: !event.currentTarget.checked })}
        />
      </div>
      <div className={form.form}>
        <h3>{words.sheets}</h3>
        <SheetFields
          sheets={recipe.sheets}
          hasSome={usesSheets(recipe)}
          onChange={(said) => change({ sheets: { ...recipe.sheets, ...said } })}
        />
      </div>
      <div className={form.form}>
        <h3>{words.extraFiles}</h3>
        <ExtrasFields
          beside={recipe.beside}
          rows={rows}
          onChange={(said) => change({ beside: { ...recipe.beside, ...said } })}
        />
      </div>
      <Reference recipe={recipe} change={change} />
      <Receiver recipe={recipe} change={change} />
    </Panel>
  );
}

interface SectionProps {
  recipe: Recipe;
  change: (said: Partial<Recipe>) => void;
}

const ROLES = ['picture', 'press-target', 'text', 'ground', 'guide', 'loose'].map((role) => `role:${role}`);

/** What is said otherwise of some parts, groups or roles. */
function ImagesForSome({ recipe, names, change }: SectionProps & { names: readonly string[] }) {
  const put = (at: number, next: Partial<Recipe['images_for'][number]>) =>
    change({ images_for: recipe.images_for.map((one, index) => (index === at ? { ...one, ...next } : one)) });
  return (
    <div className={form.form}>
      <h3>{words.exceptions}</h3>
      {recipe.images_for.map((one, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: they have no other name than their place
        <fieldset key={at} className={classes.some}>
          <TagsInput
            size="xs"
            label={words.partsGroupsOrRoles}
            data={[...ROLES, ...names]}
            value={one.of}
            onChange={(of) => put(at, { of })}
          />
          <ImagesFields
            images={{ ...recipe.images, ...one.images }}
            onChange={(images) => put(at, { images: { ...one.images, ...images } })}
          />
          <Button
            size="compact-xs"
            variant="subtle"
            onClick={() => change({ images_for: recipe.images_for.filter((_, index) => index !== at) })}
          >
            {words.removeException}
          </Button>
        </fieldset>
      ))}
      <Button
        size="xs"
        variant="default"
        disabled={names.length === 0}
        onClick={() =>
          change({ images_for: [...recipe.images_for, { of: ['role:ground'], images: { format: 'jpeg' } }] })
        }
      >
        {words.addException}
      </Button>
    </div>
  );
}

const WHITE = [255, 255, 255];

/** What lies behind the whole picture. */
function Reference({ recipe: { reference }, change }: SectionProps) {
  return (
    <div className={form.form}>
      <h3>{words.referencePicture}</h3>
      <Checkbox
        size="xs"
        label={words.plainBackgroundColour}
        description={words.ifOffTheBackground}
        checked={reference.ground !== null}
        onChange={(event) => change({ reference: { ground: event.currentTarget.checked ? WHITE : null } })}
      />
      {reference.ground && (
        <ColourField
          label={words.backgroundColour}
          value={colourText(reference.ground)}
          onChange={(text) => change({ reference: { ground: colourOf(text) } })}
        />
      )}
    </div>
  );
}

const MEGABYTE = 1_000_000;

/** What the receiver can take, and how much an image may differ from the art. */
function Receiver({ recipe, change }: SectionProps) {
  const { limits, tolerance } = recipe;
  const limit = (name: keyof Recipe['limits'], unit = 1) => ({
    size: 'xs' as const,
    hideControls: true,
    allowDecimal: false,
    min: 1,
    value: (limits[name] ?? 0) / unit || '',
    onChange: (value: number | string) =>
      change({ limits: { ...limits, [name]: Number(value) > 0 ? Math.round(Number(value) * unit) : null } }),
  });
  return (
    <div className={form.form}>
      <h3>{words.targetLimits}</h3>
      <div className={form.row}>
        <NumberInput {...limit('longest')} label={words.longestSide} suffix=" px" placeholder={words.noLimit} />
        <NumberInput {...limit('count')} label={words.images} placeholder={words.noLimit} />
        <NumberInput
          {...limit('bytes', MEGABYTE)}
          allowDecimal
          min={0.001}
          decimalScale={3}
          label={words.total}
          suffix=" MB"
          placeholder={words.noLimit}
        />
      </div>
      <div className={form.row}>
        <NumberInput
          size="xs"
          label={words.largestDifference}
          suffix=" of 255"
          min={0}
          max={255}
          placeholder={words.default}
          value={tolerance.largest ?? ''}
          onChange={(value) =>
            change({ tolerance: { ...tolerance, largest: typeof value === 'number' ? Math.round(value) : null } })
          }
        />
        <NumberInput
          size="xs"
          label={words.meanDifference}
          suffix=" of 255"
          min={0}
          max={255}
          step={0.5}
          decimalScale={2}
          placeholder={words.default}
          value={tolerance.mean ?? ''}
          onChange={(value) => change({ tolerance: { ...tolerance, mean: typeof value === 'number' ? value : null } })}
        />
      </div>
      <p className={form.told}>{words.losslessImagesMustMatchExactly}</p>
    </div>
  );
}

/** Whether anything of a recipe goes onto a sheet. */
function usesSheets({ images, images_for: some, sheets }: Recipe): boolean {
  return (
    sheets.shared ||
    [images, ...some.map((one) => one.images)].some((one) => one.stored === 'sheets' || one.moving === 'grid')
  );
}

interface KeepingProps {
  project: number;
  recipe: Recipe;
  canEdit: boolean;
  onPick: (recipe: Recipe) => void;
}

/** Saving a recipe in the project, bringing one in, giving one away. */
function Keeping({ project, recipe, canEdit, onPick }: KeepingProps) {
  const queries = useQueryClient();
  const [said, setSaid] = useState('');
  const again = useRef<() => void>(null);
  const own = useRecipes(project).data?.find((one) => one.id !== null && one.document.name === recipe.name);
  const tried = async (work: () => Promise<Recipe | null>, done: string) => {
    setSaid('');
    try {
      const kept = await work();
      if (kept) onPick(kept);
      setSaid(done);
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      setSaid(error.message);
    }
    await queries.invalidateQueries({ queryKey: recipesKey(project) });
  };
  const save = async (document: unknown, id: number | null) => {
    const kept = id === null ? await saveRecipe(project, document) : await changeRecipe(id, document);
    return kept.document;
  };
  const bring = async (file: File | null) => {
    // So that the same file can be chosen again once it was mended.
    again.current?.();
    if (!file) return;
    await tried(async () => {
      let document: unknown;
      try {
        document = JSON.parse(await file.text());
      } catch {
        throw new Refusal(0, 'not-json', words.isNotJsonChoose(file.name));
      }
      return save(document, null);
    }, words.theRecipeIsSaved);
  };
  const give = () => {
    const made = URL.createObjectURL(new Blob([JSON.stringify(recipe, null, 1)], { type: 'application/json' }));
    const link = document.createElement('a');
    link.href = made;
    link.download = `${recipe.name}.json`;
    link.click();
    // Not before the browser has begun to read it.
    setTimeout(() => URL.revokeObjectURL(made), 60_000);
  };
  return (
    <>
      <div className={form.tools}>
        <Button
          size="xs"
          disabled={!canEdit}
          onClick={() => tried(() => save(recipe, own?.id ?? null), own ? words.saved : words.theRecipeIsSaved)}
        >
          {own ? words.save : words.saveInTheProject}
        </Button>
        <Button size="xs" variant="default" onClick={give}>
          {words.download}
        </Button>
        <FileButton accept="application/json,.json" resetRef={again} onChange={bring}>
          {(props) => (
            <Button size="xs" variant="default" disabled={!canEdit} {...props}>
              {words.loadFromFile}
            </Button>
          )}
        </FileButton>
        {own && (
          <Button
            size="xs"
            variant="subtle"
            disabled={!canEdit}
            onClick={() =>
              tried(async () => {
                await removeRecipe(own.id ?? 0);
                return null;
              }, words.removedFromTheProjectYou)
            }
          >
            {words.remove}
          </Button>
        )}
      </div>
      <p role="status" className={form.told}>
        {said}
      </p>
    </>
  );
}
