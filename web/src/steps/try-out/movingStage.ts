/** What the stage needs for parts that move: their pictures, and taking hold of them. */
import { useEffect, useRef, useState } from 'react';
import { fetchPicture, pictureAddress, type Rehearsal } from '../../api/rehearsals';
import { PartPictures, partAt } from './movingDrawing';
import type { Take } from './Stage';
import type { MovingParts } from './useMoving';

/** The pictures of all parts and their frames; `arrived` counts those that are there. */
export function usePartPictures(rehearsal: Rehearsal | null, isOn: boolean) {
  const [state, setState] = useState(() => ({ pictures: new PartPictures(), arrived: 0 }));
  const names = isOn ? namesOf(rehearsal) : [];
  const wanted = names.map((name) => `${name} ${(rehearsal && pictureAddress(rehearsal, name)) ?? ''}`).join('\n');
  // What a newer package has as well is seen at once. It is kept by its content, for which the last piece of the address stands.
  const known = useRef(new Map<string, ImageBitmap>());
  useEffect(() => {
    const stop = new AbortController();
    const pictures = new PartPictures();
    const here = wanted.split('\n').map((one) => one.split(' '));
    const before = known.current;
    known.current = new Map();
    for (const [name, address] of here) {
      const picture = before.get(address?.split('/').at(-1) ?? '');
      if (!name || !address || !picture) continue;
      known.current.set(address.split('/').at(-1) ?? '', picture);
      pictures.add(name, picture);
    }
    setState({ pictures, arrived: here.filter(([name]) => name && pictures.has(name)).length });
    const all = known.current;
    for (const [name, address] of here) {
      if (!name || !address || pictures.has(name)) continue;
      fetchPicture(address, stop.signal)
        .then((blob) => createImageBitmap(blob))
        .then((picture) => {
          pictures.add(name, picture);
          all.set(address.split('/').at(-1) ?? '', picture);
          setState((before) => (before.pictures === pictures ? { pictures, arrived: before.arrived + 1 } : before));
        })
        // One that does not come is not seen; opening the package again asks again.
        .catch(() => undefined);
    }
    return () => stop.abort();
  }, [wanted]);
  return state;
}

function namesOf(rehearsal: Rehearsal | null): string[] {
  const parts = rehearsal?.result?.parts ?? [];
  const all = parts.flatMap(({ picture, moments }) => [picture, ...moments.map((one) => one.picture)]);
  return [...new Set(all.filter((name) => name !== null))];
}

/** Pressing a part chooses it (with Shift as well), dragging poses all that are chosen. */
export function useDraggedParts(moving: MovingParts | null, pictures: PartPictures): Take {
  return (spot, isMore) => {
    const { figure, momentOf, player } = moving ?? {};
    if (!moving || !figure || !momentOf || !player) return null;
    if (moving.places) {
      moving.setPlaces([...moving.places, spot]);
      return { move: () => undefined };
    }
    const id = partAt(figure, pictures, momentOf(player.now().time), spot);
    if (id === null) {
      if (!isMore) moving.setChosen([]);
      return null;
    }
    const isOne = moving.chosen.includes(id);
    const chosen = isOne ? moving.chosen : isMore ? [...moving.chosen, id] : [id];
    if (!isOne) moving.setChosen(chosen);
    moving.take(spot, chosen);
    let isMoved = false;
    return {
      move: (to, isStraight) => {
        // A hand that trembles while it chooses moves nothing.
        if (!isMoved && Math.hypot(to.x - spot.x, to.y - spot.y) < 2) return;
        isMoved = true;
        moving.drag(to, isStraight);
      },
      drop: moving.drop,
    };
  };
}
