import { createTheme } from '@mantine/core';

/** Mantine's theme from the tokens. Its colours come through the variables that base.css points at the tokens. */
export const theme = createTheme({
  fontFamily: 'var(--font-ui)',
  fontFamilyMonospace: 'var(--font-mono)',
  defaultRadius: 'var(--radius)',
  fontSizes: { xs: 'var(--size-1)', sm: 'var(--size-2)', md: 'var(--size-3)', lg: 'var(--size-4)', xl: 'var(--size-5)' },
  spacing: { xs: 'var(--gap-1)', sm: 'var(--gap-2)', md: 'var(--gap-3)', lg: 'var(--gap-4)', xl: 'var(--gap-5)' },
  focusRing: 'auto',
});
