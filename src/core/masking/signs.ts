/** What bytes of text must have before it is worth looking at them closely. */
export type Sign =
  | { readonly kind: 'literal'; readonly text: string }
  /** An @ with a letter before it, and behind it a name with a dot in it. */
  | { readonly kind: 'mail' }
  /** Fourteen digits, blanks and dashes among them or not. */
  | { readonly kind: 'digits' }
  /** A parameter of a URL: ? or &, a word, and =. */
  | { readonly kind: 'parameter' }
  /** Nothing can be said: every text is worth a look. */
  | { readonly kind: 'any' };
