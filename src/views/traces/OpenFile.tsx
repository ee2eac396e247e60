import { useEffect, useRef, useState } from 'react';
import type { OpenedTraces } from '../../api/traces/opened.ts';
import { openFile } from '../../ui/queries/opened.ts';
import styles from './OpenFile.module.css';

interface OpenFileProps {
  readonly open: (fileName: string, opened: OpenedTraces) => void;
}

/** Opens a file of OTLP JSON, chosen or dropped anywhere on the page, without storing it. */
export function OpenFile({ open }: OpenFileProps) {
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const [told, setTold] = useState('');
  const take = async (file: File | undefined) => {
    if (!file) return;
    setTold(`Opening ${file.name} …`);
    try {
      open(file.name, await openFile(file));
      setTold('');
    } catch (error) {
      setTold((error as Error).message);
    }
  };
  const latest = useRef(take);
  latest.current = take;
  useEffect(() => {
    const hasFile = (event: DragEvent) => event.dataTransfer?.types.includes('Files') ?? false;
    const drag = (event: DragEvent) => {
      if (!hasFile(event)) return;
      event.preventDefault();
      setOver(true);
    };
    const leave = (event: DragEvent) => {
      if (event.relatedTarget === null) setOver(false);
    };
    const drop = (event: DragEvent) => {
      if (!hasFile(event)) return;
      event.preventDefault();
      setOver(false);
      void latest.current(event.dataTransfer?.files[0]);
    };
    addEventListener('dragover', drag);
    addEventListener('dragleave', leave);
    addEventListener('drop', drop);
    return () => {
      removeEventListener('dragover', drag);
      removeEventListener('dragleave', leave);
      removeEventListener('drop', drop);
    };
  }, []);
  return (
    <>
      <input
        ref={input}
        type="file"
        accept=".json,.jsonl,.ndjson,application/json"
        hidden
        aria-label="A file of OTLP JSON"
        onChange={(event) => {
          void take(event.target.files?.[0]);
          event.target.value = '';
        }}
      />
      <button
        type="button"
        className={styles.open}
        title="A file of OTLP JSON, chosen here or dropped on the page; it is shown without being stored"
        onClick={() => input.current?.click()}
      >
        open a file
      </button>
      {told && (
        <span role="status" className={styles.told}>
          {told}
        </span>
      )}
      {over && <div className={styles.over}>Drop to open the trace. It is not stored.</div>}
    </>
  );
}
