/** A command failed; the message tells the user why. */
export class Trouble extends Error {}
