import { type HotkeyItem, useHotkeys } from '@mantine/hooks';

/** Keys of the page itself: they rest while a dialog or a menu is open, which has keys of its own. */
export function usePageKeys(items: readonly HotkeyItem[]): void {
  useHotkeys(
    items.map(
      ([key, act, options]): HotkeyItem => [
        key,
        (event) => {
          if (document.querySelector('[role=dialog]')) return;
          // Not left to useHotkeys, which would take the key from an open dialog too.
          if (options?.preventDefault !== false) event.preventDefault();
          act(event);
        },
        { ...options, preventDefault: false },
      ],
    ),
  );
}
