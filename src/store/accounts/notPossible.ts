/** What was asked for is understood, and cannot be done as things are: there are as many as there may be, or nobody else could do it. */
export class NotPossible extends Error {}
