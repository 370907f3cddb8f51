import { useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { arrangementQuery, illustrationQuery } from '../api/calls';
import type { Told } from '../api/events';

/** Asks for what others have changed, as soon as it is told. */
export function useOthers(
  illustration: number,
  told: Told | null,
  version: number | undefined,
  isSaving: boolean,
): void {
  const queries = useQueryClient();
  const { arrangement, motion, revisions } = told ?? {};
  useEffect(() => {
    // One's own steps bring their answer themselves.
    if (arrangement !== undefined && version !== undefined && arrangement > version && !isSaving)
      void queries.invalidateQueries({ queryKey: arrangementQuery(illustration).queryKey });
  }, [queries, illustration, arrangement, version, isSaving]);
  useEffect(() => {
    if (motion !== undefined) void queries.invalidateQueries({ queryKey: ['motion'] });
  }, [queries, motion]);
  useEffect(() => {
    if (revisions !== undefined) void queries.invalidateQueries({ queryKey: illustrationQuery(illustration).queryKey });
  }, [queries, illustration, revisions]);
}
