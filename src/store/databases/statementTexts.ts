import { boundedTexts } from '../dictionaries/boundedTexts.ts';
import { statementText } from '../schema/index.ts';

export interface StatementText {
  readonly id: string;
  readonly system: string;
  readonly text: string;
}

/** No server keeps more of a statement by default than a tenth of the longest. */
const texts = boundedTexts<StatementText>(statementText, { most: 50_000, longest: 20_000 });

/** Stores texts of statements that are not stored yet. The first text of an id stays. */
export const rememberStatements = texts.remember;

/** The texts of some statements, by id. Those that nobody has sent are not in it. */
export const statementTexts = texts.read;
