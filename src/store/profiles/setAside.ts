import { readSetting, writeSetting } from '../settings/settings.ts';

/** A finding that nobody wants to hear of, with the reason. */
export interface SetAside {
  readonly key: string;
  readonly reason: string;
  /** Epoch milliseconds. */
  readonly at: number;
}

const NAME = 'findingsSetAside';
const MOST = 500;

export async function findingsSetAside(): Promise<readonly SetAside[]> {
  return ((await readSetting(NAME)) as SetAside[] | undefined) ?? [];
}

/** Sets a finding aside; an empty reason takes it back. The latest are kept. */
export async function setFindingAside(key: string, reason: string, at: number): Promise<void> {
  const others = (await findingsSetAside()).filter((it) => it.key !== key);
  await writeSetting(NAME, reason === '' ? others : [{ key, reason, at }, ...others].slice(0, MOST));
}
