/** The scene with some parts in another pose, as it is seen on the screen: a quick try, drawn from the pixels that are there. */
import type { Poses } from '../rules/joints';
import type { Extent } from '../rules/places';
import { layScene, type Scene, surface } from './composite';
import type { Pictures } from './images';
import { onScreen, type View } from './view';

export function posedScene(
  scene: Scene,
  view: View,
  screen: Extent,
  pictures: Pictures,
  poses: Poses,
): OffscreenCanvas {
  const canvas = new OffscreenCanvas(screen.width, screen.height);
  const whole = { left: 0, top: 0, right: screen.width, bottom: screen.height };
  const place = onScreen(view);
  layScene(
    surface(canvas),
    scene,
    whole,
    place,
    (onto, piece) => {
      const picture = pictures.get(piece.image);
      if (!picture) return;
      const { left, top, right, bottom } = place(piece.box);
      onto.imageSmoothingEnabled = true;
      onto.imageSmoothingQuality = 'high';
      onto.drawImage(picture, left, top, right - left, bottom - top);
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
