import { useEffect, useRef } from 'react';
import { call } from '../api/client.ts';
import { useSettings } from '../api/queries.ts';

/** A new workspace reads dates and numbers as this browser's machine is set; it says so, and can be changed. */
export function useFirstSettings(): void {
  const settings = useSettings().data;
  const isBegun = useRef(false);
  useEffect(() => {
    if (!settings || settings.isSetUp || isBegun.current) return;
    isBegun.current = true;
    void import('./locales.ts').then(({ hereNow }) => {
      const { zone, country = settings.country } = hereNow(settings.zone);
      return call('PUT /api/settings', { body: { ...settings, zone, country, isSetUp: true } });
    });
  }, [settings]);
}
