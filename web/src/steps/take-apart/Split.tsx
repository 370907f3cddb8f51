import { Button, NumberInput } from '@mantine/core';
import classes from '../../ui/form.module.css';
import { countOf, FIRST_PIECES } from './pieces';
import type { Taking } from './useTaking';
import { split as words } from './words';

interface Props {
  taking: Taking;
  canEdit: boolean;
}

/** All separate pieces of a part become parts at once. */
export function Split({ taking, canEdit }: Props) {
  const { from, pieces, setPieces, clear } = taking;
  const change = (changed: Partial<typeof FIRST_PIECES>) => {
    const { gap, smallest } = pieces ?? FIRST_PIECES;
    if (pieces) setPieces({ ...FIRST_PIECES, gap, smallest, ...changed });
  };
  return (
    <details className={classes.more} open={pieces !== null || undefined}>
      <summary>{words.splitIntoIslands}</summary>
      <p className={classes.told}>{words.everyIslandOfArtBecomes}</p>
      <div className={classes.row}>
        <NumberInput
          size="xs"
          label={words.gapTolerance}
          suffix=" px"
          min={0}
          max={200}
          value={pieces?.gap ?? FIRST_PIECES.gap}
          disabled={!pieces}
          onChange={(gap) => change({ gap: Number(gap) || 0 })}
        />
        <NumberInput
          size="xs"
          label={words.smallestIsland}
          suffix=" px"
          min={1}
          value={pieces?.smallest ?? FIRST_PIECES.smallest}
          disabled={!pieces}
          onChange={(least) => change({ smallest: Number(least) || 1 })}
        />
        <Button
          size="xs"
          variant="default"
          disabled={!from}
          onClick={() => {
            clear();
            if (!pieces) setPieces(FIRST_PIECES);
          }}
        >
          {pieces ? words.cancel : words.previewIslands}
        </Button>
      </div>
      <Islands taking={taking} canEdit={canEdit} />
    </details>
  );
}

function Islands({ taking, canEdit }: Props) {
  const { pieces, setPieces, islands } = taking;
  if (!islands || !pieces) return null;
  const parts = countOf(pieces, islands.pieces.length);
  return (
    <>
      <p>
        {words.islandCount(islands.pieces.length)}
        {islands.crumbs > 0 && words.joinTheNearestIsland(islands.crumbs)}.
      </p>
      <p className={classes.told}>{words.clickOnAnIsland}</p>
      <div className={classes.row}>
        <Button size="xs" disabled={!canEdit || islands.pieces.length < 2 || parts === 0} onClick={taking.takePieces}>
          {words.make(parts)}
        </Button>
        {pieces.joined.some((group) => group.length > 1) && (
          <Button
            size="compact-sm"
            variant="subtle"
            onClick={() => setPieces({ ...pieces, joined: [...pieces.joined, []] })}
          >
            {words.joinOthers}
          </Button>
        )}
      </div>
    </>
  );
}
