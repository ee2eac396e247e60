import { useEffect, useMemo, useReducer, useRef, useState } from 'react';
import * as Y from 'yjs';
import type { CaseChanges } from '../../api/casebook/document.ts';
import type { CaseContent } from '../../core/casebook/caseContent.ts';
import { readCase } from '../../core/casebook/doc/caseDoc.ts';
import { AnswerError, fetchJson, sendJson } from '../queries/fetchJson.ts';

/** What was written is sent after this, together. */
const TOGETHER_MS = 250;
/** What others wrote is asked for as often: it appears within two seconds. */
const ASK_MS = 1_000;
const HIDDEN_MS = 10_000;
const RETRY_MS = 1_500;

const REMOTE = Symbol('from the application');

/** A case as it is edited here. */
export interface LiveCase {
  readonly id: number;
  readonly doc: Y.Doc;
  readonly content: CaseContent;
  /** `saved`: all is stored; `saving`: some is on its way; `kept here`: it cannot be sent now and is tried again. */
  readonly standing: 'saved' | 'saving' | 'kept here';
  /** Why the application refused what was written; it is kept here, and not stored. */
  readonly refused: string;
  /** Others who have it open. */
  readonly here: readonly string[];
  /** How many pins it has. */
  readonly pins: number;
  readonly isDeleted: boolean;
  readonly undo: Y.UndoManager;
}

interface First {
  readonly doc: string;
  readonly sequence: number;
}

/**
 * Keeps a document in step with the application: what is written here is sent until it is stored; what others write is merged in. Nothing is
 * lost when the application is away for a while; the page says so.
 */
export function useLiveCase(id: number, first: First, by: string): LiveCase {
  const doc = useMemo(() => {
    const made = new Y.Doc();
    Y.applyUpdate(made, bytesOf(first.doc), REMOTE);
    return made;
  }, [first.doc]);
  // Each change is taken back by itself: two that follow each other fast have nothing to do with each other.
  const undo = useMemo(
    () => new Y.UndoManager(doc.getMap('case'), { trackedOrigins: new Set([null]), captureTimeout: 0 }),
    [doc],
  );
  const [content, setContent] = useState(() => readCase(doc));
  const [state, change] = useReducer((now: SyncState, next: Partial<SyncState>) => ({ ...now, ...next }), BEGIN);

  // What is not stored yet outlives a change of the name.
  const pendingOf = useRef<{ readonly doc: Y.Doc; updates: Uint8Array[] }>({ doc, updates: [] });
  const name = useRef(by);
  name.current = by;

  useEffect(() => {
    if (pendingOf.current.doc !== doc) pendingOf.current = { doc, updates: [] };
    const pending = pendingOf.current;
    const tab = Math.random().toString(36).slice(2);
    const base = `/api/casebook/${id}/changes`;
    let after = first.sequence;
    let isSending = false;
    let isOver = false;
    let timer: ReturnType<typeof setTimeout> | undefined;
    let asking: ReturnType<typeof setTimeout> | undefined;

    const send = async () => {
      if (isSending || pending.updates.length === 0) return;
      isSending = true;
      const sent = pending.updates.length;
      const update = Y.mergeUpdates(pending.updates);
      try {
        await sendJson('POST', base, { update: textOf(update), origin: tab, by: name.current });
        pending.updates = pending.updates.slice(sent);
        change({ standing: pending.updates.length > 0 ? 'saving' : 'saved', refused: '' });
      } catch (error) {
        // What was refused stays with what follows: later changes build on it, and would not be shown without it.
        const isRefused = error instanceof AnswerError && error.status >= 400 && error.status < 500;
        change({ standing: 'kept here', refused: isRefused ? error.message : '' });
      }
      isSending = false;
      if (pending.updates.length > 0 && !isOver) timer = setTimeout(send, RETRY_MS);
    };
    const onUpdate = (update: Uint8Array, origin: unknown) => {
      setContent(readCase(doc));
      if (origin === REMOTE) return;
      pending.updates.push(update);
      change({ standing: 'saving' });
      clearTimeout(timer);
      timer = setTimeout(send, TOGETHER_MS);
    };
    const ask = async () => {
      try {
        const found = await fetchJson<CaseChanges>(base, { after: String(after), origin: tab, by: name.current });
        if (isOver) return;
        for (const update of found.updates) Y.applyUpdate(doc, bytesOf(update), REMOTE);
        after = found.sequence;
        change({ here: found.here, pins: found.pins, isDeleted: found.deleted });
        if (pending.updates.length > 0) void send();
      } catch {
        // The application is away: what is written meanwhile is kept here and said to be.
      }
      if (!isOver) asking = setTimeout(ask, document.hidden ? HIDDEN_MS : ASK_MS);
    };
    const leave = (event: BeforeUnloadEvent) => {
      if (pending.updates.length === 0) return;
      void send();
      event.preventDefault();
    };
    doc.on('update', onUpdate);
    addEventListener('beforeunload', leave);
    void ask();
    return () => {
      isOver = true;
      clearTimeout(timer);
      clearTimeout(asking);
      doc.off('update', onUpdate);
      removeEventListener('beforeunload', leave);
      void send();
    };
  }, [doc, id, first.sequence]);

  return { id, doc, content, undo, ...state };
}

type SyncState = Pick<LiveCase, 'standing' | 'refused' | 'here' | 'pins' | 'isDeleted'>;
const BEGIN: SyncState = { standing: 'saved', refused: '', here: [], pins: -1, isDeleted: false };

function bytesOf(base64: string): Uint8Array {
  return Uint8Array.from(atob(base64), (letter) => letter.charCodeAt(0));
}

function textOf(bytes: Uint8Array): string {
  let text = '';
  // A call takes only so many arguments.
  for (let at = 0; at < bytes.length; at += 8_192) text += String.fromCharCode(...bytes.subarray(at, at + 8_192));
  return btoa(text);
}
