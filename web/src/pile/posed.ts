/** The scene with some parts in another pose, as it is seen on the screen: a quick try, drawn from the pixels that are there. */
import type { Poses } from '../rules/joints';
import type { Extent } from '../rules/places';
import { layScene, type Scene, type Sources, surface } from './composite';
import { drawSource } from './pictures';
import { onScreen, type View } from './view';

export function posedScene(scene: Scene, view: View, screen: Extent, sources: Sources, poses: Poses): OffscreenCanvas {
  const canvas = new OffscreenCanvas(screen.width, screen.height);
  const whole = { left: 0, top: 0, right: screen.width, bottom: screen.height };
  const place = onScreen(view);
  layScene(
    surface(canvas),
    scene,
    whole,
    place,
    (onto, piece) => {
      const source = sources(piece);
      onto.imageSmoothingEnabled = true;
      onto.imageSmoothingQuality = 'high';
      if (source) drawSource(onto, source, piece.box, place);
    },
    (onto, row) => {
      const pose = poses.get(row.id);
      if (!pose) return false;
      // The pose is in pixels of the canvas: to those, turned, and back to the screen.
      const [a, b, c, d, e, f] = pose;
      onto.translate(view.x, view.y);
      onto.scale(view.zoom, view.zoom);
      onto.transform(a, b, c, d, e, f);
      onto.scale(1 / view.zoom, 1 / view.zoom);
      onto.translate(-view.x, -view.y);
      return true;
    },
  );
  return canvas;
}
