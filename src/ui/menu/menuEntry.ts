import type { ReactNode } from 'react';
import type { ShownData } from '../table/tableColumn.ts';

/** What stands in a menu: something to do, what pins a picture or table as it is drawn, a line between, or words above. */
export type MenuEntry =
  | {
      readonly key: string;
      readonly words: ReactNode;
      readonly act: () => void;
      readonly disabled?: boolean;
      /** Whether the menu stays when it is done. */
      readonly stays?: boolean;
    }
  | { readonly pins: 'picture' | 'table'; readonly data: () => Pick<ShownData, 'title' | 'columns' | 'rows'> }
  | { readonly heading: string }
  /** Named after what comes below it. */
  | { readonly line: string };
