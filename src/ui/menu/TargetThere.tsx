import { type Ref, type RefObject, useLayoutEffect } from 'react';

interface TargetThereProps {
  /** The element at which something opens. */
  readonly at: RefObject<HTMLElement | null>;
  /** Given by what opens, which is named by the element of this id. */
  readonly id?: string;
  readonly ref?: Ref<HTMLElement>;
}

/** Says what something opens at: an element that is there already, which is not drawn anew when what opens has been loaded. */
export function TargetThere({ at, id, ref }: TargetThereProps) {
  useLayoutEffect(() => {
    if (typeof ref === 'function') ref(at.current);
    else if (ref) ref.current = at.current;
    if (id && at.current) at.current.id = id;
  }, [ref, id, at]);
  return null;
}
