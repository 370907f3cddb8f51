import { Button, Checkbox, MultiSelect, NativeSelect, NumberInput, TagsInput, TextInput } from '@mantine/core';
import type { Recipe, Row } from '../../api/calls';
import form from '../../ui/form.module.css';
import classes from './HandOver.module.css';
import { extrasFields as words } from './words';

type Extras = Recipe['beside'];
type Combination = Extras['combinations'][number];

interface Props {
  beside: Extras;
  rows: readonly Row[];
  /** Told what was changed, and nothing else. */
  onChange: (changed: Partial<Extras>) => void;
}

type Table = Extras['places'][number];

const COUNTED: { value: string; label: string; said: Pick<Table, 'zero' | 'up'> }[] = [
  { value: 'corner down', label: words.upperLeftCornerYDown, said: { zero: 'corner', up: false } },
  { value: 'corner up', label: words.lowerLeftCornerYUp, said: { zero: 'corner', up: true } },
  { value: 'centre down', label: words.centreOfTheCanvasY, said: { zero: 'centre', up: false } },
  { value: 'centre up', label: words.centreOfTheCanvasYUp, said: { zero: 'centre', up: true } },
];

/** What is written beside the images. */
export function ExtrasFields({ beside, rows, onChange }: Props) {
  const { model } = beside;
  const check = (name: 'layers' | 'openexr' | 'page' | 'scene', label: string) => (
    <Checkbox
      size="xs"
      label={label}
      checked={beside[name]}
      onChange={(event) => onChange({ [name]: event.currentTarget.checked })}
    />
  );
  return (
    <>
      {check('layers', words.layeredFileOpenraster)}
      {check('openexr', words.allPartsInOneFile)}
      {check('page', words.pageHtmlAndCss)}
      {check('scene', words.allPartsInOneSvg)}
      <NativeSelect
        size="xs"
        label={words.vectorPartsAsSvg}
        data={[
          { value: 'none', label: words.none },
          { value: 'canvas', label: words.eachOnTheWholeCanvas },
          { value: 'box', label: words.eachTrimmed },
          { value: 'symbols', label: words.symbolsOfOneFile },
        ]}
        value={beside.vector}
        onChange={(event) => onChange({ vector: event.currentTarget.value as Extras['vector'] })}
      />
      <Checkbox
        size="xs"
        label={words.n3dPlanesGltf}
        checked={model !== null}
        onChange={(event) =>
          onChange({
            model: event.currentTarget.checked
              ? { pixels_per_unit: 100, z: 'depth', step: 0.001, camera: 'perspective' }
              : null,
          })
        }
      />
      {model && <ModelFields model={model} onChange={(said) => onChange({ model: { ...model, ...said } })} />}
      <NativeSelect
        size="xs"
        label={words.flipBookOfTheWhole}
        data={[
          { value: 'none', label: words.none },
          { value: 'files', label: words.numberedPng },
          { value: 'apng', label: words.animatedPng },
          { value: 'webp', label: words.animatedWebp },
          { value: 'gif', label: words.gifFewColours },
        ]}
        value={beside.flip_book}
        onChange={(event) => onChange({ flip_book: event.currentTarget.value as Extras['flip_book'] })}
      />
      <MultiSelect
        size="xs"
        label={words.overviewOfAllParts}
        placeholder={beside.overview.length ? '' : words.none}
        data={[
          { value: 'png', label: words.onePng },
          { value: 'pdf', label: words.pdfPages },
        ]}
        value={beside.overview}
        onChange={(value) => onChange({ overview: value as Extras['overview'] })}
      />
      <PlacesFields places={beside.places} onChange={(places) => onChange({ places })} />
      <Combinations
        combinations={beside.combinations}
        rows={rows}
        onChange={(combinations) => onChange({ combinations })}
      />
    </>
  );
}

type ModelSettings = NonNullable<Extras['model']>;

function ModelFields({ model, onChange }: { model: ModelSettings; onChange: (said: Partial<ModelSettings>) => void }) {
  return (
    <div className={form.row}>
      <NumberInput
        size="xs"
        label={words.pixelsPerUnit}
        min={1}
        value={model.pixels_per_unit}
        onChange={(value) => typeof value === 'number' && value > 0 && onChange({ pixels_per_unit: value })}
      />
      <NativeSelect
        size="xs"
        label={words.zPosition}
        data={[
          { value: 'depth', label: words.fromDepth },
          { value: 'order', label: words.evenSteps },
        ]}
        value={model.z}
        onChange={(event) => onChange({ z: event.currentTarget.value as 'depth' | 'order' })}
      />
      <NumberInput
        size="xs"
        label={words.zStep}
        suffix=" units"
        min={0}
        step={0.001}
        decimalScale={4}
        value={model.step}
        onChange={(value) => typeof value === 'number' && onChange({ step: value })}
      />
      <NativeSelect
        size="xs"
        label={words.camera}
        description={words.withAPerspectiveCameraDeeper}
        data={[
          { value: 'perspective', label: words.perspective },
          { value: 'orthographic', label: words.parallel },
        ]}
        value={model.camera}
        onChange={(event) => onChange({ camera: event.currentTarget.value as ModelSettings['camera'] })}
      />
    </div>
  );
}

function PlacesFields({
  places,
  onChange,
}: {
  places: Extras['places'];
  onChange: (places: Extras['places']) => void;
}) {
  return (
    <>
      {places.map((one, at) => {
        const put = (next: Partial<typeof one>) =>
          onChange(places.map((other, index) => (index === at ? { ...one, ...next } : other)));
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: they have no other name than their place
          <fieldset key={at} className={classes.some} aria-label={words.tableOfPositions(at + 1)}>
            <div className={form.row}>
              <NativeSelect
                size="xs"
                label={words.tableOfPositionsAs}
                data={[
                  { value: 'json', label: 'JSON' },
                  { value: 'csv', label: 'CSV' },
                ]}
                value={one.format}
                onChange={(event) => put({ format: event.currentTarget.value as Table['format'] })}
              />
              <NativeSelect
                size="xs"
                label={words.unit}
                data={[
                  { value: 'pixels', label: words.pixels },
                  { value: 'fractions', label: words.fractionsOfTheCanvas },
                ]}
                value={one.unit}
                onChange={(event) => put({ unit: event.currentTarget.value as Table['unit'] })}
              />
            </div>
            <div className={form.row}>
              <NativeSelect
                size="xs"
                label={words.pointOfEachPart}
                data={[
                  { value: 'top-left', label: words.upperLeftCorner },
                  { value: 'centre', label: words.centre },
                ]}
                value={one.origin}
                onChange={(event) => put({ origin: event.currentTarget.value as Table['origin'] })}
              />
              <NativeSelect
                size="xs"
                label={words.origin}
                data={COUNTED.map(({ value, label }) => ({ value, label }))}
                value={`${one.zero} ${one.up ? 'up' : 'down'}`}
                onChange={(event) => {
                  const found = COUNTED.find(({ value }) => value === event.currentTarget.value);
                  if (found) put(found.said);
                }}
              />
            </div>
            <Button
              size="compact-xs"
              variant="subtle"
              onClick={() => onChange(places.filter((_, index) => index !== at))}
            >
              {words.remove}
            </Button>
          </fieldset>
        );
      })}
      <Button
        size="xs"
        variant="default"
        onClick={() =>
          onChange([...places, { format: 'json', origin: 'centre', up: true, unit: 'pixels', zero: 'corner' }])
        }
      >
        {words.addTableOfPositions}
      </Button>
    </>
  );
}

interface CombinationsProps {
  combinations: Extras['combinations'];
  rows: readonly Row[];
  onChange: (combinations: Combination[]) => void;
}

/** Flat pictures of the figure, each in one form. */
function Combinations({ combinations, rows, onChange }: CombinationsProps) {
  const sets = rows.filter((row) => row.kind === 'group' && row.alternate !== null);
  const membersOf = (set: Row) => rows.filter((row) => row.group === set.id);
  const isOfLooks = (set: Row) => membersOf(set).every((row) => row.kind === 'group');
  const looks = [...new Set(sets.filter(isOfLooks).flatMap((set) => membersOf(set).map((row) => row.name)))];
  const choices = sets.filter((set) => !isOfLooks(set));
  return (
    <>
      {combinations.map((one, at) => {
        const put = (next: Partial<Combination>) =>
          onChange(combinations.map((other, index) => (index === at ? { ...one, ...next } : other)));
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: they have no other name than their place
          <fieldset key={at} className={classes.some}>
            <div className={form.row}>
              <TextInput
                size="xs"
                label={words.flatPicture}
                value={one.name}
                onChange={(event) => put({ name: event.currentTarget.value })}
              />
              {looks.length > 0 && (
                <NativeSelect
                  size="xs"
                  label={words.look}
                  data={[{ value: '', label: words.default }, ...looks]}
                  value={one.look ?? ''}
                  onChange={(event) => put({ look: event.currentTarget.value || null })}
                />
              )}
            </div>
            {choices.length > 0 && (
              <div className={form.row}>
                {choices.map((set) => (
                  <NativeSelect
                    key={set.id}
                    size="xs"
                    label={set.name}
                    data={[{ value: '', label: words.default }, ...membersOf(set).map((row) => row.name)]}
                    value={one.alternates[set.name] ?? ''}
                    onChange={(event) => {
                      const { [set.name]: _, ...rest } = one.alternates;
                      const member = event.currentTarget.value;
                      put({ alternates: member ? { ...rest, [set.name]: member } : rest });
                    }}
                  />
                ))}
              </div>
            )}
            <TagsInput
              size="xs"
              label={words.hiddenParts}
              data={[...new Set(rows.map((row) => row.name))].sort()}
              value={one.hidden}
              onChange={(hidden) => put({ hidden })}
            />
            <Button
              size="compact-xs"
              variant="subtle"
              onClick={() => onChange(combinations.filter((_, index) => index !== at))}
            >
              {words.remove}
            </Button>
          </fieldset>
        );
      })}
      <Button
        size="xs"
        variant="default"
        onClick={() =>
          onChange([
            ...combinations,
            { name: `form ${combinations.length + 1}`, look: null, alternates: {}, hidden: [] },
          ])
        }
      >
        {words.addFlatPicture}
      </Button>
    </>
  );
}
