import type { GivenKind, PinKind } from '../../../core/casebook/pin.ts';
import { CODE_PINS } from './codePins.ts';
import { CONTRAST_PINS } from './contrastPins.ts';
import { DATABASE_PINS } from './databasePins.ts';
import { LOG_PINS } from './logPins.ts';
import { MACHINE_PINS } from './machinePins.ts';
import type { PinSource } from './pinSource.ts';
import { POOL_PINS } from './poolPins.ts';
import { REQUEST_PINS } from './requestPins.ts';
import { TRACE_PINS } from './tracePins.ts';
import { TRIAL_PINS } from './trialPins.ts';
import { VISITOR_PINS } from './visitorPins.ts';

/** Every kind of pin that is made from a question, with that question. */
export const PIN_SOURCES: Readonly<Record<Exclude<PinKind, GivenKind>, PinSource>> = {
  ...REQUEST_PINS,
  ...TRACE_PINS,
  ...CONTRAST_PINS,
  ...LOG_PINS,
  ...DATABASE_PINS,
  ...TRIAL_PINS,
  ...POOL_PINS,
  ...CODE_PINS,
  ...MACHINE_PINS,
  ...VISITOR_PINS,
};
