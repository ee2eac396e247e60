import { useState } from 'react';
import type { Pinnable } from '../../ui/casebook/pinnables.ts';
import { usePinning } from '../../ui/casebook/usePinning.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useMay } from '../../ui/state/who.ts';

/** Keeps a row as a lead: a hypothesis of the open case, or of a new one, with the row as its evidence. Who only reads keeps none. */
export function KeepLead({ lead }: { lead: Pinnable }) {
  const { id, pinIt, isBusy } = usePinning();
  const { href } = useScope();
  const [kept, setKept] = useState<{ id: number } | { trouble: string }>();
  const may = useMay('responder');
  const keep = async () => {
    try {
      setKept({ id: (await pinIt(lead)).id });
    } catch (error) {
      setKept({ trouble: (error as Error).message });
    }
  };
  if (!may) return null;
  if (kept && 'id' in kept)
    return (
      <span role="status">
        a lead of <a href={href(`/casebook/${kept.id}`)}>case {kept.id}</a>
      </span>
    );
  return (
    <>
      <button type="button" disabled={isBusy} onClick={() => void keep()}>
        {id === undefined ? 'Begin a case with this lead' : `Keep as a lead of case ${id}`}
      </button>
      {kept && <span role="alert">Not kept: {kept.trouble}</span>}
    </>
  );
}
