import { areAccountsOn } from '../../server/accounts/accountsOn.ts';
import { Tries } from '../../server/accounts/tries.ts';
import { currentRequest, type Who, whoAsks } from '../../server/requests/requestContext.ts';
import { writeAudit } from '../../store/accounts/audit.ts';

const LONGEST = 120;
const MOST_MEMBERS = 12;
/** Members that may hold what nobody else is to read. */
const SECRET = /pass|secret|token|key|code|credential|authorization|dsn|update|file/i;

const refused = new Tries();
const REFUSED_RULE = { window: 3_600, max: 2_000 };

/** Writes down what the one who asks has done. Without accounts there is nobody to tell apart, and nothing is written. */
export async function noteDone(
  action: string,
  about: Readonly<Record<string, unknown>>,
  status = 200,
  given?: Pick<Who, 'id' | 'name'>,
): Promise<void> {
  if (!areAccountsOn()) return;
  const context = currentRequest();
  const who: Pick<Who, 'id' | 'name'> | Who | undefined = given ?? (context && (await whoAsks(context)));
  // What was refused is written down so often in an hour: more says nothing new, and would fill the disk.
  if (status >= 400 && refused.take(who?.id ?? '', REFUSED_RULE) > 0) return;
  await writeAudit({
    userId: who?.id ?? '',
    by: who && 'via' in who && who.via === 'itself' ? 'the application itself' : (who?.name ?? ''),
    address: context?.address ?? '',
    action: action.slice(0, LONGEST),
    about: outline(about),
    status,
  });
}

/** What something was of: texts and numbers as they are, the rest by its size, and nothing that may be secret. */
export function outline(about: Readonly<Record<string, unknown>>): Record<string, unknown> {
  return Object.fromEntries(
    Object.entries(about)
      .slice(0, MOST_MEMBERS)
      .map(([name, value]) => [name.slice(0, LONGEST), SECRET.test(name) ? '…' : outlineOf(value)]),
  );
}

function outlineOf(value: unknown): unknown {
  if (typeof value === 'string') return value.slice(0, LONGEST);
  if (typeof value === 'number' || typeof value === 'boolean' || value === null) return value;
  if (Array.isArray(value)) return `${value.length} of them`;
  return '…';
}
