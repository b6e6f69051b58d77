import { useSettings } from '../api/queries.ts';

/** The workspace's zone. */
export const useZone = (): string => useSettings().data?.zone ?? 'utc';
