/** The texts of the picture, for each file those it shows. */

export const composite = {
  thisBrowserHasNo2d: 'This browser has no 2D canvas.',
};

export const looks = {
  flat: 'Flat',
  exploded: 'Exploded',
  compare: 'Compare',
  slider: 'Slider',
  sideBySide: 'Side by side',
  view: 'View',
  turn: 'Turn',
  spread: 'Spread',
  ofTheWidth: (spread: number) => `${spread} % of the width`,
  leftPicture: 'Left picture',
  rightPicture: 'Right picture',
  comparison: 'Comparison',
  divider: 'Divider',
  atOfTheWidth: (share: number) => `at ${share} % of the width`,
};

export const pile = {
  pile: 'Pile',
  thePicture: (described: string) => `The picture. ${described}`,
  peel: 'Peel',
  ofPeeled: (value: number, most: number) => `${value} of ${most} peeled`,
  frame: 'Frame',
  of: (at: number, frames: number) => `${at} of ${frames}`,
  loadingPicturesLeft: (left: number) => `Loading pictures: ${left} left`,
  loadingLargerPictures: 'Loading larger pictures',
  previewAt1ResolutionZoom: (value: number) =>
    `Preview at 1/${value} resolution. Zoom in for every pixel; hand-overs are full size.`,
  quickPreviewWithoutBlendModes: 'Quick preview without blend modes. Drag to turn.',
  notLoadedReloadThePage: (failed: string, failed2: boolean) =>
    ` Not loaded: ${failed}${failed2 ? ' and others' : ''}. Reload the page.`,
};

export const pileBar = {
  grey: 'Grey',
  light: 'Light',
  dark: 'Dark',
  lined: 'Lined',
  white: 'White',
  black: 'Black',
  orange: 'Orange',
  crisp: 'Crisp',
  asPixels: 'As pixels',
  selection: 'Selection',
  allParts: 'All parts',
  none: 'None',
  zoomOut: 'Zoom out',
  zoom: 'Zoom',
  zoomIn: 'Zoom in',
  wholePicture: 'Whole picture',
  display: 'Display',
  outlines: 'Outlines',
  background: 'Background',
  vectorsWhenZoomedIn: 'Vectors when zoomed in',
};

export const usePicking = {
  isLockedUnlockItK: (name: string) => `'${name}' is locked. Unlock it (K) to pick it.`,
};
