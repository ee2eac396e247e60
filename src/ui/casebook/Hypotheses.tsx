import { Menu } from '@mantine/core';
import { IconX } from '@tabler/icons-react';
import { type Hypothesis, STANDINGS } from '../../core/casebook/caseContent.ts';
import { memberText, removeMember, setMember } from '../../core/casebook/doc/caseDoc.ts';
import { ChangedBy } from '../access/ChangedBy.tsx';
import { OnlyFor } from '../access/OnlyFor.tsx';
import styles from './Casebook.module.css';
import type { LiveCase } from './caseSync.ts';
import { LineInput } from './LineInput.tsx';
import { addHypothesis } from './newMember.ts';
import { SharedText } from './SharedText.tsx';
import { StandingGlyph } from './StandingGlyph.tsx';

interface HypothesesProps {
  readonly live: LiveCase;
  /** Numbers of figures by the ids of their pins. */
  readonly figures: ReadonlyMap<string, number>;
  /** Whether there is room for reasons and evidence. */
  readonly isWide: boolean;
}

/** What it could have been: each holds, is ruled out or is open, with the figures that speak for and against it. */
export function Hypotheses({ live, figures, isWide }: HypothesesProps) {
  return (
    <>
      <ul className={styles.hypotheses} data-wide={isWide}>
        {live.content.hypotheses.map((it) => (
          <Row key={it.id} live={live} hypothesis={it} figures={figures} isWide={isWide} />
        ))}
      </ul>
      <LineInput label="What else could it be" hint="What else could it be?" take={(text) => addHypothesis(live, text)} />
    </>
  );
}

function Row({ live: { doc }, hypothesis: it, figures, isWide }: HypothesesProps & { hypothesis: Hypothesis }) {
  const change = (fields: Partial<Hypothesis>) => setMember(doc, 'hypotheses', it.id, fields);
  return (
    <li data-standing={it.standing}>
      <ChangedBy least="responder">
        <Menu position="bottom-start" withinPortal={false}>
          <Menu.Target>
            <button type="button" className={styles.standing}>
              <StandingGlyph standing={it.standing} /> {it.standing}
            </button>
          </Menu.Target>
          <Menu.Dropdown>
            {STANDINGS.map((standing) => (
              <Menu.Item key={standing} onClick={() => change({ standing })} leftSection={<StandingGlyph standing={standing} />}>
                {standing}
              </Menu.Item>
            ))}
          </Menu.Dropdown>
        </Menu>
      </ChangedBy>
      <div className={styles.hypothesis}>
        <SharedText
          text={memberText(doc, 'hypotheses', it.id, 'text')}
          value={it.text}
          label="hypothesis"
          hint="what it could be"
        />
        {(isWide || it.reason !== '') && it.standing !== 'open' && (
          <SharedText
            text={memberText(doc, 'hypotheses', it.id, 'reason')}
            value={it.reason}
            label={it.standing === 'holds' ? 'why it holds' : 'why it is ruled out'}
            hint={it.standing === 'holds' ? 'why it holds' : 'why it is ruled out'}
            className={styles.reason}
          />
        )}
      </div>
      <span className={styles.evidence}>
        <Marked ids={it.for} figures={figures} sign="" />
        <Marked ids={it.against} figures={figures} sign="not " />
        <OnlyFor least="responder">
          {isWide && figures.size > 0 && (
            <Menu position="bottom-end" withinPortal={false}>
              <Menu.Target>
                <button type="button" className={styles.quiet} aria-label={`Evidence of: ${it.text}`}>
                  evidence
                </button>
              </Menu.Target>
              <Menu.Dropdown className={styles.figureMenu}>
                {[...figures].map(([id, number]) => (
                  <div key={id} className={styles.figureChoice}>
                    <span>fig. {number}</span>
                    {(['for', 'against'] as const).map((side) => (
                      <button
                        key={side}
                        type="button"
                        aria-pressed={it[side].includes(id)}
                        onClick={() => {
                          const other = side === 'for' ? 'against' : 'for';
                          change({
                            [side]: it[side].includes(id) ? it[side].filter((one) => one !== id) : [...it[side], id],
                            [other]: it[other].filter((one) => one !== id),
                          });
                        }}
                      >
                        {side}
                        <span className="unseen"> figure {number}</span>
                      </button>
                    ))}
                  </div>
                ))}
              </Menu.Dropdown>
            </Menu>
          )}
          {isWide && (
            <button
              type="button"
              className={styles.quiet}
              aria-label={`Remove: ${it.text}`}
              onClick={() => removeMember(doc, 'hypotheses', it.id)}
            >
              <IconX size={13} stroke={1.6} />
            </button>
          )}
        </OnlyFor>
      </span>
    </li>
  );
}

function Marked({ ids, figures, sign }: { ids: readonly string[]; figures: ReadonlyMap<string, number>; sign: string }) {
  return ids.map((id) => {
    const number = figures.get(id);
    return number === undefined ? null : (
      <a key={id} href={`#figure-${number}`} className={styles.fig} data-against={sign !== ''}>
        {sign}fig. {number}
      </a>
    );
  });
}
