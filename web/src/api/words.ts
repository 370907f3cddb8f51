/** The texts of calls to the server, for each file those it shows. */

export const calls = {
  didNotArriveTheConnection: (name: string) =>
    `'${name}' did not arrive: the connection was lost. Nothing was changed. Bring it in again.`,
};

export const client = {
  theServerDoesNotAnswer: 'The server does not answer as it should. Nothing was changed; try again in a moment.',
  theServerCannotBeReached: 'The server cannot be reached. Nothing was changed; try again in a moment.',
};

export const images = {
  thePictureCannotBeHad: 'The picture cannot be had. Reload the page.',
};
