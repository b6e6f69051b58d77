import { useEffect, useState } from 'react';
import { readLocal, storeLocal } from './local-settings.ts';

/** The themes to choose from. */
export const themes = ['system', 'light', 'dark'] as const;
export type Theme = (typeof themes)[number];

const kept = (): Theme => {
  const theme = readLocal('golden-theme');
  return theme === 'light' || theme === 'dark' ? theme : 'system';
};

function apply(theme: Theme): void {
  const isDark = theme === 'dark' || (theme === 'system' && matchMedia('(prefers-color-scheme: dark)').matches);
  document.documentElement.dataset['theme'] = isDark ? 'dark' : 'light';
}

/** Light, dark, or as the system has it; kept on this machine. */
export function useTheme(): [Theme, (theme: Theme) => void] {
  const [theme, setTheme] = useState<Theme>(kept);
  useEffect(() => {
    apply(theme);
    storeLocal('golden-theme', theme);
  }, [theme]);
  return [theme, setTheme];
}

/** Sets the theme before anything is painted. */
export const applyKeptTheme = (): void => {
  apply(kept());
  matchMedia('(prefers-color-scheme: dark)').addEventListener('change', () => apply(kept()));
};
