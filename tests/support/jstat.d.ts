declare module 'jstat' {
  /** The part of the package that the tests hold chances against. */
  const jstat: {
    readonly jStat: {
      readonly erfc: (x: number) => number;
      readonly ibeta: (x: number, a: number, b: number) => number;
      readonly hypgeom: { readonly pdf: (k: number, all: number, marked: number, drawn: number) => number };
    };
  };
  export default jstat;
}
