import { Combobox, useCombobox } from '@mantine/core';
import { useRef, useState } from 'react';
import { readTypedChip } from '../../core/scope/typedChip.ts';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { useFields } from '../../ui/queries/fields.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { completions } from './completions.ts';
import styles from './FilterLine.module.css';

/** One line of text that narrows: fields, values and words are completed, what is wrong is said where it is. */
export function FilterLine() {
  const { scope, change } = useScope();
  const [text, setText] = useState('');
  const [focused, setFocused] = useState(false);
  const [wrong, setWrong] = useState<string>();
  const input = useRef<HTMLInputElement>(null);
  const combobox = useCombobox({ onDropdownClose: () => combobox.resetSelectedOption() });
  const fields = useFields(scope, focused);
  const offers = completions(text, fields.data?.fields ?? []);
  usePageKeys([['s', () => input.current?.focus()]]);
  const take = (typed: string) => {
    const next = readTypedChip(scope, typed);
    if (typeof next === 'string') {
      setWrong(next);
      return;
    }
    setText('');
    setWrong(undefined);
    change(next);
    combobox.closeDropdown();
  };
  return (
    <Combobox
      store={combobox}
      withinPortal={false}
      onOptionSubmit={(value) => {
        const offer = offers.find((it) => it.text === value);
        if (!offer) return;
        setText(offer.text);
        setWrong(undefined);
        combobox.resetSelectedOption();
        if (offer.complete) take(offer.text);
        else input.current?.focus();
      }}
    >
      <form
        className={styles.line}
        onSubmit={(event) => {
          event.preventDefault();
          if (combobox.getSelectedOptionIndex() < 0 && text.trim() !== '') take(text);
        }}
      >
        <Combobox.Target targetType="input" autoComplete="off">
          <input
            ref={input}
            aria-label="Narrow by a line of text"
            aria-invalid={wrong !== undefined}
            aria-describedby={wrong ? 'filter-wrong' : undefined}
            placeholder="narrow: duration > 2s · berths.failed · holds above berths > 1s"
            value={text}
            onFocus={() => {
              setFocused(true);
              combobox.openDropdown();
            }}
            onBlur={() => combobox.closeDropdown()}
            onChange={(event) => {
              setText(event.target.value);
              setWrong(undefined);
              combobox.openDropdown();
              combobox.resetSelectedOption();
            }}
          />
        </Combobox.Target>
        <kbd>s</kbd>
        {wrong && (
          <p id="filter-wrong" role="alert" className={styles.wrong}>
            {wrong}
          </p>
        )}
      </form>
      <Combobox.Dropdown hidden={offers.length === 0 || !focused || wrong !== undefined}>
        <Combobox.Options className={styles.offers}>
          {offers.map(({ text: value, shown, note }) => (
            <Combobox.Option key={value} value={value}>
              <span className="mono">{shown}</span> <span className="dim">{note}</span>
            </Combobox.Option>
          ))}
        </Combobox.Options>
      </Combobox.Dropdown>
    </Combobox>
  );
}
