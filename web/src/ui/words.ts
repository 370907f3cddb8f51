/** The texts of what several steps share, for each file those it shows. */
import { count, day, moment, plural } from './units';

export const accountMenu = {
  theme: 'Theme',
  day: 'Day',
  dim: 'Dim',
  asTheSystem: 'As the system',
  myShelf: 'My shelf',
  queue: 'Queue',
  accounts: 'Accounts',
  auditLog: 'Audit log',
  changePassword: 'Change password',
  twoStepSignIn: 'Two-step sign-in',
  mySessions: 'My sessions',
  signOut: 'Sign out',
  close: 'Close',
  disconnectFrom: (name: string) => `Disconnect from ${name}`,
  connectWith: (name: string) => `Connect with ${name}`,
  thePasswordIsChangedOther: 'The password is changed. Other sessions were signed out.',
  oldPassword: 'Old password',
  newPasswordAtLeast10: 'New password, at least 10 characters',
};

export const colourField = {
  sixDigitsAfterLike2f6f8f: 'Six digits after #, like #2f6f8f',
  pick: (label: string) => `Pick: ${label}`,
  saturationAndBrightness: 'Saturation and brightness',
  hue: 'Hue',
};

export const firstFew = {
  showOnlyTheFirst: 'Show only the first',
  showAll: (items: number) => `Show all ${count(items)}`,
};

export const givenLink = {
  goodOnceWithinCopy: (days: number) =>
    `Good once, within ${plural(days, 'day')}. Copy the link now; it is not shown again.`,
  goodForCopyTheLink: (days: number) => `Good for ${plural(days, 'day')}. Copy the link now; it is not shown again.`,
  link: 'Link',
  copied: 'Copied',
  copyLink: 'Copy link',
  orSendByMailTo: 'Or send by mail to',
  send: 'Send',
  sentTo: (sent: string) => `Sent to ${sent}.`,
};

export const jobProgress = {
  reading: 'Reading',
  writing: 'Writing',
  verifying: 'Verifying',
  drawing: 'Drawing',
  savingLayerImages: 'Saving layer images',
  packingFile: 'Packing file',
  unpackingFile: 'Unpacking file',
  rebuildingStep: 'Rebuilding, step',
  collectingPackages: 'Collecting packages,',
  queued: (held_up: string) => `Queued${held_up}`,
  of: (stages: string, done: number, total: number) => `${stages} ${count(done)} of ${count(total)}`,
  cancel: 'Cancel',
  perSecond: (second: string) => `${second} per second`,
};

export const keptList = {
  motionUsedInTryOut: 'motion, used in Try out',
  apply: 'Apply',
  toUseList: 'Use list',
  add: 'Add',
  onTheShelf: 'On the shelf',
  remove: 'Remove',
};

export const remarks = {
  remarksFromRecipients: 'Remarks from recipients',
  remarksFromRecipientsFound: (found: number) => `Remarks from recipients (${found})`,
  show: 'Show',
  ofNo: (number: number) => `, of no. ${number}`,
  somebody: 'Somebody',
  answered: (answered_by: string, answer: string) => `${answered_by} answered: ${answer}`,
  answerToTheRemarkOn: (path: string) => `Answer to the remark on ${path}`,
  answer: 'Answer',
};

export const sessions = {
  thisBrowser: 'This browser',
  from: (address: string) => `From ${address}`,
  since: (is_this: string, at: string) => `${is_this}, since ${moment(at)}`,
  signOutFromSince: (address: string, at: string) => `Sign out from ${address}, since ${moment(at)}`,
  signOut: 'Sign out',
  signOutEverywhereElse: 'Sign out everywhere else',
};

export const stepPages = {
  pages: 'Pages',
};

export const twoStep = {
  twoStepSignInAsks:
    'Two-step sign-in asks for a code from your phone after the password, so a stolen password is not enough. You need an authenticator app on the phone.',
  setUp: 'Set up',
  scanTheQrCode: 'Scan the QR code with the authenticator app, or type the key into the app.',
  enterTheSixDigits: 'Enter the six digits that the app shows, and your password.',
  qrCodeWithTheKey: 'QR code with the key below',
  key: 'Key',
  code: 'Code',
  turnOn: 'Turn on',
  keepTheseRecoveryCodes:
    'Keep these recovery codes in a safe place. Each lets you sign in once without the phone. They are shown only now.',
  recoveryCodes: 'Recovery codes',
  download: 'Download',
  done: 'Done',
  onSinceLeft: (since: string, left: number) => `On since ${day(since)}. ${plural(left, 'recovery code')} left.`,
  turnOff: 'Turn off',
  newRecoveryCodes: 'New recovery codes',
  yourPassword: 'Your password',
};

export const wordmark = {
  yuplet: 'Yuplet',
};
