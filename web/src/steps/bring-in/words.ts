/** The texts of Bring in and the projects, for each file those it shows. */
import { bytes, moment, plural } from '../../ui/units';

export const bin = {
  bin: 'Bin',
  close: 'Close',
  isRestored: (name: string) => `'${name}' is restored.`,
  theBinIsEmptyRemoved: 'The bin is empty. Removed projects and illustrations go here.',
  name: 'Name',
  removed: 'Removed',
  keptUntil: 'Kept until',
  restore: 'Restore',
  project: 'Project',
  illustrationOf: (project_name: string) => `Illustration of ${project_name}`,
  by: (removed_by: string) => ` by ${removed_by}`,
  restoreName: (name: string) => `Restore ${name}`,
  isInTheBin: (name: string) => `'${name}' is in the bin. It can be restored from there.`,
};

export const bringInStep = {
  report: 'Report',
  revisions: 'Revisions',
  readingOptions: 'Reading options',
  credit: 'Credit',
  bringIn: 'Bring in',
};

export const creditForm = {
  author: 'Author',
  title: 'Title',
  sourceUrl: 'Source URL',
  unknown: 'Unknown',
  required: 'Required',
  notRequired: 'Not required',
  savedEveryPackageFromNow: 'Saved. Every package from now on carries this credit.',
  everyPackageCarriesThisCredit:
    'Every package carries this credit in its manifest and as CREDITS.txt. Values from the file are filled in.',
  licence: 'Licence',
  spdxIdentifierOrYourOwn: 'SPDX identifier, or your own words',
  attribution: 'Attribution',
  note: 'Note',
  saveCredit: 'Save credit',
};

export const howDialog = {
  fileCount: (files: number) => plural(files, 'file'),
  close: 'Close',
  illustrationName: 'Illustration name',
  aNewRevisionOf: (name: string) => `A new revision of ${name}`,
  layersAreMatched: 'Layers are matched with the existing parts. You review the result before anything changes.',
  partsOfOnePicture: 'Parts of one picture',
  eachFileIsAPart: "Each file is a part, each folder a group. A file named 'reference' shows their positions.",
  framesOfOneAnimation: 'Frames of one animation',
  eachFileIsAFrame: 'Each file is a frame, in the order of the numbers in the names.',
  newIllustration: 'New illustration',
  separately: (files: number) => `${plural(files, 'illustration')} separately`,
  eachFileBecomesAnIllustration: 'Each file becomes an illustration.',
};

export const illustrations = {
  newestFirst: 'Newest first',
  byName: 'By name',
  aFileWithLayersThey: 'A file with layers: they become parts, groups and order kept.',
  aFlatPictureItsParts: 'A flat picture: its parts are clicked out of it, and what they covered is filled in.',
  looseImagesWithAPicture: 'Loose images with a picture of the whole: they are put in their places by it.',
  findAnIllustrationIn: (name: string) => `Find an illustration in ${name}`,
  findIllustration: 'Find illustration',
  orderOfTheIllustrationsIn: (name: string) => `Order of the illustrations in ${name}`,
  dropAPictureHere: 'Drop a picture here, or several that belong together',
  openrasterOraSvgOrOpenexr:
    'OpenRaster (.ora), SVG or OpenEXR with layers and groups; PNG, JPEG, WebP, TIFF, GIF, AVIF, animated or not; a ZIP of them, or a package handed over earlier. Up to 2 GiB, 250 million pixels and 2,000 layers.',
  bringInAPicture: 'Bring in a picture',
  newHereWalkThroughBrindle: 'New here? Walk through Brindle',
  uploading: (share: number) => `Uploading, ${share} %`,
  noIllustrationContains: (search: string) => `No illustration contains '${search}'.`,
  renameIllustration: 'Rename illustration',
  rename: 'Rename',
  px: (endingOf: string, width: number, height: number, bytesText: number) =>
    `${endingOf} ${width} × ${height} px, ${bytes(bytesText)}`,
  moreFor: (name: string) => `More for ${name}`,
  duplicate: 'Duplicate',
  moveToAnotherProject: 'Move to another project',
  remove: 'Remove',
  cancelledNothingWasRead: 'Cancelled. Nothing was read.',
  tryAgain: 'Try again',
};

export const members = {
  viewerLooksAndDownloads: 'Viewer: looks and downloads',
  editorEditsAndHandsOver: 'Editor: edits and hands over',
  ownerAlsoManagesMembers: 'Owner: also manages members',
  roleOf: (username: string) => `Role of ${username}`,
  remove: 'Remove',
  account: 'Account',
  role: 'Role',
  add: 'Add',
  addPeopleYouAlreadyShare: 'Add people you already share a project with by name; invite all others.',
  inviteANew: (role: string) => `Invite a new ${role}`,
  giveThisLink: (name: string) => `Give this link to the new member of ${name}.`,
};

export const moveDialog = {
  move: (name: string) => `Move '${name}'`,
  close: 'Close',
  thereIsNoOtherProject:
    'There is no other project that you may change. Start one, or ask to be made an editor of one.',
  toProject: 'To project',
  itsRevisionsHandOvers: 'Its revisions, hand-overs and links go with it. Only members of that project see it then.',
  moveButton: 'Move',
};

export const moving = {
  theFileHoldsEverythingOriginals:
    'The file holds everything: originals, revisions, parts, every step and all hand-overs. Members are not packed; whoever brings the file in becomes the owner.',
  packIntoOneFile: 'Pack into one file',
  packedDownload: (at: string, size: number) => `Packed ${moment(at)}, ${bytes(size)} · Download`,
  cancelled: 'Cancelled.',
  notBroughtIn: 'Not brought in',
  bringInAPackedProject: 'Bring in a packed project',
  sending: (share: number) => `Sending, ${share} %`,
  cancelledNothingWasUnpacked: 'Cancelled. Nothing was unpacked.',
  removeEmptyProject: 'Remove empty project',
};

export const nameDialog = {
  close: 'Close',
  name: 'Name',
};

export const projectsPage = {
  projectsYuplet: 'Projects · Yuplet',
  startProject: 'Start project',
  projects: 'Projects',
  noProjectsYetStartOne:
    'No projects yet. Start one for a character, a scene, a prop set or an interface kit, then bring in its picture.',
  start: 'Start',
  renameProject: 'Rename project',
  rename: 'Rename',
  pack: (name: string) => `Pack '${name}'`,
  close: 'Close',
  membersOf: (name: string) => `Members of ${name}`,
  youAre: (role: boolean, role2: string) => `you are ${role ? 'a' : 'an'} ${role2}`,
  members: 'Members',
  moreForProject: (name: string) => `More for project ${name}`,
  packProject: 'Pack project',
  removeProject: 'Remove project',
  theProjectsThatYouOwn: 'The projects that you own: ',
  of: (used: number, most: number) => `${bytes(used)} of ${bytes(most)}`,
  nearlyFullRemoveIllustrations: ', nearly full. Remove illustrations, or ask an administrator for more space.',
};

export const readAgain = {
  readsTheOriginalAgain:
    'Reads the original again with other options. You review the result; parts keep their names, order and settings.',
  aRevisionIsWaitingAccept: 'A revision is waiting. Accept or discard it first.',
  thisFileTypeHasNo: 'This file type has no options.',
  vectorArt: 'Vector art',
  takeNamesFrom: 'Take names from',
  automatic: 'Automatic',
  readAgain: 'Read again',
  looseImages: 'Loose images',
  toUseAs: 'Use as',
  partsOfOnePicture: 'Parts of one picture',
  framesOfOnePart: 'Frames of one part',
  spriteSheet: 'Sprite sheet',
  columns: 'Columns',
  rows: 'Rows',
  cellWidth: 'Cell width',
  cellHeight: 'Cell height',
  margin: 'Margin',
  spacing: 'Spacing',
  theSheetWithByCells: (columns: number, rows: number) => `The sheet with ${columns} by ${rows} cells marked`,
  noFrameIsCutOff: (columns: number) => `${plural(columns, 'frame')}: no frame is cut off or empty.`,
  moreFindingCount: (findings: number) => plural(findings, 'more finding'),
  cutInto: (columns: number) => `Cut into ${plural(columns, 'frame')}`,
};

export const readingReport = {
  layers: 'Layers',
  vectorLayers: 'Vector layers',
  groups: 'Groups',
  animations: 'Animations',
  frames: 'Frames',
  hidden: 'Hidden',
  empty: 'Empty',
  file: 'File',
  canvas: 'Canvas',
  atPpi: (ppi: number) => ` at ${ppi} ppi`,
  px: (width: number, height: number, ppi: string) => `${width} × ${height} px${ppi}`,
  colour: 'Colour',
  bitsAChannel: (bit_depth: number, colour_space: string) => `${bit_depth} bits a channel, ${colour_space}`,
  downloadTheOriginal: 'Download the original',
  keptByteForByte: ', kept byte for byte.',
  comparedWithThePreview: 'Compared with the preview in the file',
  notes: 'Notes',
  everythingWasRead: 'Everything was read as it is; nothing was converted.',
  toBringInAnotherPicture: 'To bring in another picture, go to the ',
  projectsPage: 'projects page',
  layerCount: (layers: number) => plural(layers, 'layer'),
  areReadyInPut: ' are ready in Put in order.',
  cutIntoFrames: 'Cut into frames',
};

export const reviewPanel = {
  comparingTheRevision: 'Comparing the revision …',
  reviewOfRevision: (number: number) => `Review of revision ${number}`,
  revisionNeedsYourReview: (number: number) => `Revision ${number} needs your review`,
  unchanged: (kept: number) => `${plural(kept, 'layer is', 'layers are')} unchanged. `,
  noChanges: 'No changes.',
  n1PartBecomes: (frames: number, name: string) => `1 part becomes ${plural(frames, 'frame')}: '${name}'.`,
  acceptRevision: (number: number) => `Accept revision ${number}`,
  discardRevision: (number: number) => `Discard revision ${number}`,
  movedByPx: (dx: number, dy: number) => `moved by ${dx}, ${dy} px`,
  renamedFrom: (path: undefined | string) => `renamed from '${path}'`,
  movedToAnotherGroup: 'moved to another group',
  opacityOrBlendModeChanged: 'opacity or blend mode changed',
  resizedPx: (before: string, after: string) => `, resized ${before} → ${after} px`,
  before: 'Before',
  after: 'After',
  change: 'Change',
  whatWasBefore: (path: string) => `What ${path} was before`,
  newPart: 'New part',
  was: (path: string) => `Was ${path}`,
  removedFromTheArt: 'Removed from the art',
  thesePartsStayEmptyTick: 'These parts stay, empty. Tick those to remove.',
  removePart: (name: string) => `Remove part '${name}'`,
};

export const revisions = {
  isCurrent: ', current',
  bringInAChangedFile:
    'Bring in a changed file as a new revision. Its layers are matched with the parts; nothing changes before your review.',
  bringInANewRevision: 'Bring in a new revision',
  sending: (share: number) => `Sending, ${share} %`,
  kept: 'Kept',
  goBackToPreviousRevision: 'Go back to previous revision',
  discardRevision: (number: number) => `Discard revision ${number}?`,
  close: 'Close',
  itsFileIsRemoved: 'Its file is removed and cannot be restored. The parts stay unchanged.',
  keepRevision: (number: number) => `Keep revision ${number}`,
  revision: (number: number) => `Revision ${number}`,
  cancelledNothingWasRead: 'Cancelled. Nothing was read.',
  discardRevisionNumber: (number: number) => `Discard revision ${number}`,
  px: (file_name: string, bytesText: number, width: number, height: number) =>
    `${file_name}, ${bytes(bytesText)}, ${width} × ${height} px`,
  by: (created_by: string) => ` by ${created_by}`,
  download: 'download',
};

export const useBringIn = {
  looseImages: 'loose images',
  files: (together: string, files: number) => `${together} (${files} files)`,
  hasYupletTakesUp: (name: string, large: number) =>
    `'${name}' has ${bytes(large)}; Yuplet takes up to 2 GiB. Split it.`,
  itIsAPackage: (name: string) =>
    `It is a package of '${name}', which is already here. Review it there as a new revision.`,
  notBroughtIn: 'Not brought in',
};

export const vectorSize = {
  svgLongerSidePx: 'SVG: longer side, px',
  fromTheFile: 'From the file',
  orResolutionPpi: 'Or resolution, ppi',
};
