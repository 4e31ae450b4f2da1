/** The command cannot be carried out; the message says why, for people. */
export class Trouble extends Error {}
