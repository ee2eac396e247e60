import { openCase, useOpenCase, usePersonName } from '../../ui/casebook/openCase.ts';
import { useNewCase, useReferToIncident } from '../../ui/queries/casebook.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useMay } from '../../ui/state/who.ts';

/** The cases of an incident; without one, the way to begin it: with the incident's time, what moved, and what shows it. */
export function CaseOfIncident({ incident, cases }: { incident: number; cases: readonly number[] }) {
  const { href } = useScope();
  const by = usePersonName();
  const open = useOpenCase();
  const begin = useNewCase();
  const refer = useReferToIncident();
  const make = async () => {
    const { id } = await begin.mutateAsync({ by, incident });
    openCase(id);
    location.assign(href(`/casebook/${id}`));
  };
  const may = useMay('responder');
  const fault = begin.error ?? refer.error;
  return (
    <>
      {cases.map((id) => (
        <a key={id} href={href(`/casebook/${id}`)} suppressHydrationWarning>
          case {id}
        </a>
      ))}
      {may && cases.length === 0 && (
        <button type="button" disabled={begin.isPending} onClick={() => void make().catch(() => {})}>
          {begin.isPending ? 'beginning …' : 'begin a case'}
        </button>
      )}
      {may && open !== undefined && !cases.includes(open) && (
        <button type="button" disabled={refer.isPending} onClick={() => refer.mutate({ id: open, incident, by })}>
          add to case {open}
        </button>
      )}
      {fault && <span role="alert">{fault.message}</span>}
    </>
  );
}
