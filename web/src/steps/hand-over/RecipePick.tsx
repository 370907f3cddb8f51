import { NativeSelect } from '@mantine/core';
import { replaceEqualDeep } from '@tanstack/react-query';
import { useMemo } from 'react';
import { type Recipe, useRecipes } from '../../api/calls';
import { recipePick as words } from './words';

interface Props {
  project: number;
  recipe: Recipe | null;
  onPick: (recipe: Recipe) => void;
}

/** Which recipe is worked with: the project's own first, then those that come along. */
export function RecipePick({ project, recipe, onPick }: Props) {
  const recipes = useRecipes(project).data ?? [];
  const key = (one: { id: number | null; file: string | null }) =>
    one.id === null ? (one.file ?? '') : String(one.id);
  const same = useMemo(
    () => recipes.find((one) => replaceEqualDeep(one.document, recipe) === one.document),
    [recipes, recipe],
  );
  const group = (label: string, own: boolean) => ({
    group: label,
    items: recipes
      .filter((one) => (one.id !== null) === own)
      .map((one) => ({ value: key(one), label: one.document.name })),
  });
  const groups = [group(words.ofThisProject, true), group(words.shippedWithYuplet, false)].filter(
    (one) => one.items.length > 0,
  );
  return (
    <NativeSelect
      size="sm"
      label={words.recipe}
      disabled={recipe === null}
      data={same || recipe === null ? groups : [{ value: '', label: words.changedNotSaved(recipe.name) }, ...groups]}
      value={same ? key(same) : ''}
      onChange={(event) => {
        const found = recipes.find((one) => key(one) === event.currentTarget.value);
        if (found) onPick(found.document);
      }}
    />
  );
}
