import { Combobox, useCombobox } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import {
  type KeyboardEvent,
  type Ref,
  type RefObject,
  useEffect,
  useImperativeHandle,
  useLayoutEffect,
  useRef,
  useState,
} from 'react';
import type { AskHit } from '../../api/ask/ask.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { parseCondition, splitConditions } from '../../core/scope/conditionText.ts';
import { isQuestion } from '../../core/scope/question.ts';
import { chipQuery, type Scope, windowAt, withChip } from '../../core/scope/scope.ts';
import { readTypedWindow } from '../../core/scope/typedWindow.ts';
import { clockRange } from '../../core/time/clock.ts';
import { usePinning } from '../casebook/usePinning.ts';
import { PAGES } from '../pages/registry.ts';
import { useAsk } from '../queries/ask.ts';
import { useScope } from '../state/scopeState.ts';
import { useZone } from '../state/zone.ts';
import { useScheme } from '../theme/schemeState.ts';
import styles from './AskBox.module.css';

/** One thing that the box can do with what was typed. */
interface Offer {
  readonly key: string;
  readonly kind: string;
  readonly words: string;
  readonly note: string;
  readonly act: () => void;
}

/** What the box tells its offers of. */
export interface AskHandle {
  readonly changed: () => void;
  readonly focused: () => void;
  readonly left: () => void;
  readonly pressed: (event: KeyboardEvent) => void;
}

interface AskOffersProps {
  readonly ref: Ref<AskHandle>;
  readonly input: RefObject<HTMLInputElement | null>;
  readonly text: string;
  /** Whether Enter was pressed before there were any offers. */
  readonly entered: RefObject<boolean>;
  readonly showKeys: () => void;
}

/** What can be done with what stands in the box. A module of its own, loaded when somebody first turns to the box. */
export default function AskOffers({ ref, input, text, entered, showKeys }: AskOffersProps) {
  const { scope, change, href } = useScope();
  const { scheme, switchScheme } = useScheme();
  const zone = useZone();
  const combobox = useCombobox({ onDropdownClose: () => combobox.resetSelectedOption() });
  const typed = text.trim();
  const [settled] = useDebouncedValue(typed, 180);
  const [sought, setSought] = useState('');
  const quick = useAsk(settled, false);
  const deep = useAsk(sought, true);

  const { beginHere, requestOf } = usePinning();
  const [refused, setRefused] = useState('');
  /** A complaint becomes a case: narrowed to what was found of it, over the time of that, with what shows it pinned. */
  const beginAbout = async (about: string, hit: AskHit) => {
    try {
      const { scope: found } = targetOf(hit, scope);
      const traceId = /^\/traces\/([0-9a-f]{32})/.exec(hit.path)?.[1];
      const window: Record<string, string> =
        hit.from !== null && hit.to !== null
          ? { from: new Date(hit.from).toISOString(), to: new Date(hit.to + 1).toISOString() }
          : {};
      const pin = requestOf(
        traceId
          ? { kind: 'trace', what: about, of: 'nothing', query: { traceId }, said: `${about}: its trace` }
          : {
              kind: 'requests',
              what: about,
              of: 'nothing',
              query: { ...chipQuery(found.chips), ...window },
              said: `${about}: its requests`,
            },
      );
      const { id } = await beginHere({
        title: `Complaint: ${about}`,
        since: hit.from,
        until: hit.to === null ? null : hit.to + 1,
        where: chipQuery(found.chips).where ?? '',
        pins: [{ ...pin, path: href(hit.path, found) }],
      });
      location.assign(href(`/casebook/${id}`));
    } catch (error) {
      setRefused(`No case was begun: ${(error as Error).message}`);
    }
  };
  const offers: Offer[] = [];
  const window = typed === '' ? undefined : readTypedWindow(typed, zone, Date.now());
  if (window)
    offers.push({ key: 'window', kind: 'time', words: `light ${typed}`, note: '', act: () => change({ ...scope, lit: window }) });
  const conditions = splitConditions(typed).map(parseCondition);
  if (!isQuestion(typed) && conditions.length > 0 && conditions.every((it) => typeof it !== 'string'))
    offers.push({
      key: 'condition',
      kind: 'narrow',
      words: typed,
      note: '',
      act: () => change(conditions.reduce<Scope>((next, it) => (typeof it === 'string' ? next : withChip(next, it)), scope)),
    });
  const lower = typed.toLowerCase();
  if (lower.length > 1) {
    for (const { name, path, words = [] } of PAGES)
      if ([name, ...words].some((it) => it.toLowerCase().startsWith(lower)))
        offers.push({ key: name, kind: 'page', words: name, note: '', act: () => location.assign(href(path)) });
    const commands = [
      [scheme === 'dusk' ? 'show on paper' : 'show at dusk', switchScheme],
      ['copy the link', () => void navigator.clipboard?.writeText(location.href)],
      ['list of keys', showKeys],
      ['drop the narrowing', () => change({ ...scope, chips: [] })],
    ] as const;
    for (const [words, act] of commands) if (words.includes(lower)) offers.push({ key: words, kind: 'do', words, note: '', act });
  }
  const answer = sought === typed && deep.data ? deep.data : settled === typed ? quick.data : undefined;
  for (const hit of answer?.hits ?? []) {
    const target = targetOf(hit, scope);
    const widened = target.widened ? `${clockRange(hit.from!, hit.to!, zone, Date.now())}, window widened` : '';
    offers.push({
      key: `${hit.kind} ${hit.words}`,
      kind: hit.kind,
      words: hit.words,
      note: [hit.requests === null ? '' : `${formatCount(hit.requests)} requests`, widened].filter((it) => it !== '').join(' · '),
      act: () => location.assign(href(hit.path, target.scope) + target.more),
    });
  }
  const [best] = answer?.hits ?? [];
  if (best && typed.length > 2)
    offers.push({
      key: 'case',
      kind: 'case',
      words: `begin a case about "${typed}"`,
      note: best.words === typed ? '' : best.words,
      act: () => void beginAbout(typed, best),
    });
  const isLooking = sought === typed && deep.isFetching;
  const trouble = sought === typed ? deep.error : quick.error;
  const words = refused || (answer?.words ?? '');

  // What Enter asked for is gone to by itself when it is one thing only.
  const led = offers.filter(({ kind }) => kind !== 'case');
  const only = sought === typed && deep.data && led.length === 1 ? led[0] : undefined;
  useEffect(() => {
    if (!only) return;
    setSought('');
    only.act();
  }, [only]);

  const take = (key: string) => {
    combobox.closeDropdown();
    if (key === 'deep') setSought(typed);
    offers.find((it) => it.key === key)?.act();
  };
  const enter = () => {
    // An offer that was worked out from what stands there now is taken; otherwise all is looked through.
    const first = settled === typed || sought === typed ? offers[0] : offers.find((it) => it.kind !== 'page');
    if (first) first.act();
    else {
      setSought(typed);
      combobox.openDropdown();
    }
  };
  /** The keys that go through the offers. */
  const ways = useRef<(event: KeyboardEvent) => void>(undefined);
  useImperativeHandle(ref, () => ({
    changed: () => {
      combobox.openDropdown();
      combobox.updateSelectedOptionIndex();
    },
    focused: () => {
      if (typed !== '') combobox.openDropdown();
    },
    left: () => combobox.closeDropdown(),
    pressed: (event) => {
      if (event.key === 'Enter' && typed !== '' && combobox.getSelectedOptionIndex() === -1) {
        event.preventDefault();
        enter();
      }
      ways.current?.(event);
    },
  }));
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was typed while this was loaded is taken up once
  useEffect(() => {
    if (typed !== '' && document.activeElement === input.current) combobox.openDropdown();
    if (entered.current) enter();
    entered.current = false;
  }, []);
  return (
    <Combobox store={combobox} onOptionSubmit={take} withinPortal={false} offset={4}>
      <Combobox.Target>
        <Box input={input} ways={ways} />
      </Combobox.Target>
      <Combobox.Dropdown hidden={typed === ''}>
        <Combobox.Options aria-label="What it may be" className={styles.offers}>
          {offers.map((it) => (
            <Combobox.Option key={it.key} value={it.key} className={styles.offer}>
              <span className={styles.kind}>{it.kind}</span>
              <span className={styles.words}>{it.words}</span>
              <span className={styles.note}>{it.note}</span>
            </Combobox.Option>
          ))}
          {sought !== typed && !isQuestion(typed) && (
            <Combobox.Option value="deep" className={styles.offer}>
              <span className={styles.kind}>look</span>
              <span className={styles.words}>through every span for "{typed}"</span>
              <span className={styles.note} />
            </Combobox.Option>
          )}
        </Combobox.Options>
        <p className={styles.said} role="status">
          {isLooking ? 'Looking through every span …' : (trouble?.message ?? words)}
        </p>
      </Combobox.Dropdown>
    </Combobox>
  );
}

interface BoxProps {
  readonly input: RefObject<HTMLInputElement | null>;
  readonly ways: RefObject<((event: KeyboardEvent) => void) | undefined>;
  /** Given by the library, with the attributes that tell which offer is chosen. */
  readonly ref?: Ref<HTMLElement>;
  readonly onKeyDown?: (event: KeyboardEvent) => void;
}

const TOLD = [
  'aria-haspopup',
  'aria-controls',
  'aria-activedescendant',
  'data-expanded',
  'data-mantine-stop-propagation',
] as const;

/** The box, which was there before its offers: it gets what the library gives to what it draws itself. */
function Box({
  input,
  ways,
  ref,
  onKeyDown,
  ...given
}: BoxProps & { readonly [name in (typeof TOLD)[number]]?: string | boolean }) {
  useLayoutEffect(() => {
    if (typeof ref === 'function') ref(input.current);
    else if (ref) ref.current = input.current;
  }, [ref, input]);
  useLayoutEffect(() => {
    ways.current = onKeyDown;
    for (const name of TOLD) {
      if (given[name] === undefined) input.current?.removeAttribute(name);
      else input.current?.setAttribute(name, String(given[name]));
    }
  });
  return null;
}

const MARGIN = 5 * 60_000;

/** Where a hit leads: the scope narrowed by it alone, the window widened when it does not hold the requests. */
function targetOf(hit: AskHit, scope: Scope): { scope: Scope; more: string; widened: boolean } {
  const lit = windowAt(scope.lit, Date.now());
  const outside = hit.from !== null && hit.to !== null && (hit.from < lit.from || hit.to > lit.to);
  const chips = splitConditions(hit.where)
    .map(parseCondition)
    .flatMap((it) => (typeof it === 'string' ? [] : [{ ...it, on: true }]));
  const next: Scope = {
    ...scope,
    chips: hit.where === '' ? scope.chips : chips,
    lit: outside
      ? { type: 'fixed', from: Math.min(lit.from, hit.from! - MARGIN), to: Math.max(lit.to, hit.to! + MARGIN) }
      : scope.lit,
  };
  const more = [hit.span === '' ? '' : `&span=${hit.span}`, hit.text === '' ? '' : `&text=${encodeURIComponent(hit.text)}`].join(
    '',
  );
  return { scope: next, more: more + (outside ? '&widened=yes' : ''), widened: outside };
}
