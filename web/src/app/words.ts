/** The texts of the frame of all steps and the pages beside them, for each file those it shows. */
import { bytes, day, plural } from '../ui/units';

export const accountsPage = {
  never: 'never',
  isDisabled: ', disabled',
  hasTwoSteps: ', two-step',
  isAdministrator: ', administrator',
  giveThisLink: 'Give this link to the new administrator. It creates an account.',
  giveThisLinkTo: 'Give this link to the new person. It creates an account.',
  accounts: 'Accounts',
  everybodyWhoCanSign:
    'Everybody who can sign in. The work of a removed account stays. The owners of a project decide who is a member.',
  inviteSomebody: 'Invite somebody',
  inviteAnAdministrator: 'Invite an administrator',
  account: 'Account',
  projects: 'Projects',
  theirFiles: 'Their files',
  lastSignedIn: 'Last signed in',
  change: 'Change',
  giveThisLinkUsername: (username: string) => `Give this link to ${username}. It sets a new password.`,
  removeTheAccount: (username: string) => `Remove the account ${username}`,
  close: 'Close',
  thisCannotBeUndone:
    'This cannot be undone. The work of this account stays, its shelf is removed. To keep somebody out for a while, disable the account instead.',
  keepAccount: 'Keep account',
  remove: 'Remove',
  newPassword: 'New password',
  endAdministratorRole: 'End administrator role',
  makeAdministrator: 'Make administrator',
  turnTwoStepOff: 'Turn two-step off',
  disable: 'Disable',
  enable: 'Enable',
};

export const auditPage = {
  noAccount: '(none)',
  signedIn: 'Signed in',
  signInFailed: 'Sign-in failed',
  signedOut: 'Signed out',
  password: 'Password',
  account: 'Account',
  member: 'Member',
  link: 'Link',
  handOver: 'Hand-over',
  download: 'Download',
  removed: 'Removed',
  restored: 'Restored',
  moved: 'Moved',
  auditLog: 'Audit log',
  signInsDownloadsHandOvers:
    'Sign-ins, downloads, hand-overs, removals and invitations. The same entries are in logs/audit.jsonl on the server.',
  action: 'Action',
  allActions: 'All actions',
  searchAccountsAddressesAndDetails: 'Search accounts, addresses and details',
  noEntriesMatch: 'No entries match.',
  when: 'When',
  details: 'Details',
  address: 'Address',
  onTheServer: '(on the server)',
  showEarlierEntries: 'Show earlier entries',
};

export const comeInPage = {
  invitationYuplet: 'Invitation · Yuplet',
  newPassword: 'New password',
  join: (project: string) => `Join ${project}`,
  createAnAccount: 'Create an account',
  forTheAccountAll: (account: string | null) => `For the account ${account}. All its sessions end.`,
  as: (role: string) => ` as ${role}`,
  invitedYou: (made_by: string, project: string) => `${made_by} invited you${project}.`,
  signInWithYourAccount: ' Sign in with your account.',
  youAreSignedInAs: (user: string) => `You are signed in as ${user}.`,
  account: 'Account',
  theNameThatOthersSee: 'The name that others see: 2 to 40 letters and digits',
  passwordAtLeast10Characters: 'Password, at least 10 characters',
  joinButton: 'Join',
  setPassword: 'Set password',
  createAccount: 'Create account',
};

export const head = {
  yupletAllProjects: 'Yuplet, all projects',
  findingCount: (findings: number) => plural(findings, 'finding'),
  findings: 'Findings',
  nothingToUndo: 'Nothing to undo',
  undo: 'Undo',
  nothingToRedo: 'Nothing to redo',
  redo: 'Redo',
  keys: 'Keys',
};

export const keys = {
  enterOrF2: 'Enter or F2',
  ledgerRenameWhileRenamingSave: 'Ledger: rename; while renaming: save and rename the next',
  shiftEnter: 'Shift Enter',
  whileRenamingSaveAndRename: 'While renaming: save and rename the previous',
  cancelRenamingOrClear: 'Cancel renaming, or clear the selection',
  ledgerGoToTheRow: 'Ledger: go to the row above or below; with Shift, add it to the selection',
  ledgerFoldOrUnfold: 'Ledger: fold or unfold a group',
  pictureMoveTheSelectedParts: 'Picture: move the selected parts by 1 px; with Shift, by 10',
  showOrHide: 'Show or hide',
  showAloneOrShowAll: 'Show alone, or show all again',
  includeOrLeaveOut: 'Include or leave out',
  lockOrUnlockLockedParts: 'Lock or unlock; locked parts cannot be picked or changed, and are handed over',
  showAlternate1To9: 'Show alternate 1 to 9',
  renameManyTheSelection: 'Rename many: the selection, or all parts',
  setThePivot: 'Set the pivot of a part on the picture',
  jointsPickTheParent: 'Joints: pick the parent on the picture',
  groupOrUngroupOneGroup: 'Group, or ungroup one group',
  duplicateAPart: 'Duplicate a part',
  mirrorAPartAcross: 'Mirror a part across the middle of the canvas',
  rOrDelete: 'R or Delete',
  removeUndoRestoresIt: 'Remove; undo restores it',
  ctrlA: 'Ctrl A',
  ledgerSelectAllRows: 'Ledger: select all rows of the list',
  bringNearerWithShift: 'Bring nearer; with Shift, to the front',
  sendFartherWithShift: 'Send farther; with Shift, to the back',
  stripAllPartsAsSmall: 'Strip: all parts as small pictures, back to front',
  playOrPauseAnAnimated: 'Play or pause an animated part or a motion',
  findByName: 'Find by name',
  hideOrShowThePanel: 'Hide or show the panel',
  wholePicture: 'Whole picture',
  shiftCPSL: 'Shift C P S L I',
  takeApartClickToolsPart: 'Take apart, click tools: part, proposals, same colour, inside lines, island',
  shiftDTRE: 'Shift D T R E',
  takeApartOutlineToolsDraw: 'Take apart, outline tools: draw round, point to point, rectangle, ellipse',
  shiftBMW: 'Shift B M W',
  takeApartBrushToolsBrush: 'Take apart, brush tools: brush, scribble, switch part',
  partNameSelectALarger: 'Part name: select a larger or smaller region',
  ctrlZ: 'Ctrl Z',
  undoWithShiftRedo: 'Undo; with Shift, redo',
  thisListOfKeys: 'This list of keys',
  keys: 'Keys',
  close: 'Close',
  findAKey: 'Find a key',
  noKeyIsDescribedBy: (search: string) => `No key is described by '${search}'.`,
  toUseSingleLetterKeys: 'Use single-letter keys',
  turnOffIfLettersArrive: 'Turn off if letters arrive by accident, for example with speech input.',
};

export const line = {
  steps: 'Steps',
};

export const next = {
  nextCompareBothStatesThen: 'Next: compare both states, then accept or discard the revision.',
  doneThePictureIsRead: 'Done: the picture is read. Next: take it apart, or put its layers in order.',
  nextClickAPart: 'Next: click a part of the picture, type its name, then click the next part.',
  doneWhenEverything: 'Done when everything to be moved is a part. Next: Findings, Check all parts.',
  nextToLookAt: (number: number) => `Next: ${plural(number, 'finding')} to look at.`,
  doneNoFindingIsLeft: 'Done: no finding is left.',
  nextNamesOrderAndJoints: (number: number, number2: boolean) =>
    `Next: names, order and joints, until ${plural(number, 'finding')} ${number2 ? 'is' : 'are'} settled.`,
  doneNoFindingIsLeftNext: 'Done: no finding is left. Next: hand over.',
  nextHandOverFirst: 'Next: hand over first, or open a package from elsewhere.',
  nextLookAtTheDifferences: 'Next: look at the differences, fix them, hand over again.',
  nextMoveTheFigure: 'Next: move the figure, and look at what opens between its parts.',
  nextSettleNothingIsWritten: (stops: number) => `Next: settle ${plural(stops, 'error')}; nothing is written before.`,
  thePackageIsBeingWritten: 'The package is being written and verified. You can go on working.',
  nextChooseARecipeCheck: 'Next: choose a recipe, check the plan, then hand over.',
  nextCheckThePlanThen: 'Next: check the plan, then hand over.',
  doneThisStateIsHanded: 'Done: this state is handed over. Next: download it, or link a recipient.',
  changedSinceNoNextCheck: (number: number) => `Changed since no. ${number}. Next: check the plan, then hand over.`,
};

export const pages = {
  loading: 'Loading',
};

export const panelEdge = {
  panelWidth: 'Panel width',
  panel: 'Panel',
  showPanelH: 'Show panel (H)',
  hidePanelH: 'Hide panel (H)',
};

export const plainPage = {
  yupletAllProjects: 'Yuplet, all projects',
};

export const queuePage = {
  bringIn: 'Bring in',
  handOver: 'Hand over',
  packTheProject: 'Pack the project',
  unpackAProject: 'Unpack a project',
  openInTryOut: 'Open in Try out',
  writeAFilm: 'Write a film',
  handOverTheProject: 'Hand over the project',
  queue: 'Queue',
  longWorkOfYourProjects:
    'Long work of your projects, running jobs first. Turns are fair: whoever has the fewest running jobs is next.',
  noJobsAreRunning: 'No jobs are running or queued.',
  work: 'Work',
  project: 'Project',
  startedBy: 'Started by',
  since: 'Since',
  progress: 'Progress',
  removedAccount: 'removed account',
  min: (floor: number) => `${floor} min`,
  hMin: (floor: number, floor2: number) => `${floor} h ${floor2} min`,
};

export const receivePage = {
  loading: 'Loading',
  packageYuplet: 'Package · Yuplet',
  handOver: (number: number) => `Hand-over ${number}`,
  theNewest: ', the newest',
  forUntil: (made_at: string, to: string, ends_at: string) => `, ${day(made_at)}. For ${to}, until ${day(ends_at)}.`,
  downloadZip: (bytesText: number) => `Download ZIP, ${bytes(bytesText)}`,
  parts: 'Parts',
  frontMostFirst: (parts: number) => `${plural(parts, 'part')}, front-most first`,
  searchNames: 'Search names',
  in: (path: string) => ` in ${path}`,
  hidden: ', hidden',
  pxAt: (width: number, height: number, x: number, y: number) => `${width} × ${height} px at ${x}, ${y}`,
  remarked: 'remarked',
  noChanges: 'no changes',
  sinceHandOver: (since: number, told: string) => `Since hand-over ${since}: ${told}`,
  remarks: 'Remarks',
  theArtist: 'The artist',
  noAnswerYet: 'No answer yet',
  remarkToTheArtist: 'Remark to the artist',
  sendRemark: 'Send remark',
};

export const shelfPage = {
  myShelf: 'My shelf',
  onlyYouSee:
    'Only you see it, in every project. Parts, templates and lists are kept and used under Put in order, Sets, Shelf; motions under Try out, Move.',
  nothingIsOnYourShelf: 'Nothing is on your shelf yet.',
};

export const signInPage = {
  signInYuplet: 'Sign in · Yuplet',
  signIn: 'Sign in',
  takeAPictureApartName: 'Take a picture apart, name and order its parts, and hand them over with every position kept.',
  theDemoAccount: 'The demo account and its password are printed where Yuplet was started.',
  account: 'Account',
  password: 'Password',
  code: 'Code',
  theSixDigits: 'The six digits that your authenticator app shows, or a recovery code',
  or: 'or',
  signInWith: (name: string) => `Sign in with ${name}`,
};

export const states = {
  verified: 'verified',
  reviewRevision: (number: number) => `Review revision ${number}`,
  px: (width: number, height: number) => `${width} × ${height} px`,
  partCount: (parts: number) => plural(parts, 'part'),
  leftOut: (leftOut: number) => `${leftOut} left out`,
  allIncluded: 'All included',
  opening: 'Opening',
  running: 'Running',
  stopped: (stops: number) => `Stopped: ${plural(stops, 'error')}`,
  notVerified: 'not verified',
  no: (number: number, ok: string) => `No. ${number}, ${ok}`,
  notYet: 'Not yet',
  differencesFound: 'Differences found',
  matches: 'Matches',
  opened: 'Opened',
};

export const steps = {
  bringIn: 'Bring in',
  takeApart: 'Take apart',
  putInOrder: 'Put in order',
  tryOut: 'Try out',
  handOver: 'Hand over',
};

export const theme = {
  dismiss: 'Dismiss',
};

export const useComparables = {
  partsNow: 'Parts now',
  original: 'Original',
  revision: (number: number) => `Revision ${number}`,
};

export const useServiceAnswer = {
  yourAccountIsConnected: (service: string) =>
    `Your account is connected with ${service}. You can sign in with either.`,
  signingInWasCancelled: 'Signing in was cancelled.',
  thisAccountIsDisabledAsk: 'This account is disabled. Ask an administrator to enable it.',
  noAccountHereIsConnected: (service: string) =>
    `No account here is connected with yours at ${service}. Sign in with a password and connect it in the account menu, or ask an administrator for an invitation.`,
  thereIsAlreadyAnAccount: (service: string) =>
    `There is already an account with your name. If it is yours, sign in with its password and connect it with ${service} in the account menu.`,
  yourNameAtCannot: (service: string) =>
    `Your name at ${service} cannot be used here. Ask an administrator for an invitation, and connect that account.`,
  thisAccountOfIsConnected: (service: string) => `This account of ${service} is connected with another account here.`,
  yourAccountIsConnectedService: (service: string) =>
    `Your account is connected with another account of ${service}. Disconnect it first.`,
  signingInWithDidNot: (service: string) => `Signing in with ${service} did not work. Try again.`,
};

export const walk = {
  bringInBrindleCame:
    'Bring in. Brindle came as one file with layers. The report says what was read of it, and what was adapted.',
  aChangedDrawingBecomes:
    'A changed drawing becomes a revision. Both states are compared here, and nothing changes before you accept it.',
  takeApartFlatArt:
    "Take apart. Flat art is separated by clicks: click a part, type its name, click the next. Brindle's layers are parts already.",
  putInOrderARow:
    'Put in order. A row a part, front-most first. F2 renames, N and F move nearer and farther, S hides. Undo takes back anything.',
  jointsALimb: 'Joints. A limb has a parent and a pivot. Select one and press Swing to see where a gap opens.',
  findingsAllThatShould: 'Findings. All that should be looked at, from rows, pixels and the plan, each with its fix.',
  tryOutThePackage:
    'Try out. The package as its recipient gets it, rebuilt from its files alone. Under Move it is posed, keyed and played.',
  handOverThePlanShows:
    'Hand over. The plan shows every file before it is written. Afterwards the picture is rebuilt from them, and differing pixels are counted.',
  walk: 'Walk',
  of: (stop: number, stops: number) => `${stop} of ${stops}`,
  showAgain: 'Show again',
  back: 'Back',
  next: 'Next',
  endWalk: 'End walk',
};

export const workspace = {
  thisPictureCouldNot: 'This picture could not be read.',
  goToProjects: 'Go to projects',
  skipToTheStep: 'Skip to the step',
  step: 'Step',
  saving: 'Saving',
  lastStep: (undo: string) => `Last step: ${undo}`,
  alsoHere: (others: string) => `Also here: ${others}`,
  uploading: (name: string, share: number) => `Uploading '${name}', ${share} %`,
};
