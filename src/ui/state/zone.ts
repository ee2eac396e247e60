import { createContext, useContext, useEffect, useState } from 'react';

const ZoneContext = createContext('UTC');
export const ZoneProvider = ZoneContext.Provider;

/** The zone in which times are shown. */
export function useZone(): string {
  return useContext(ZoneContext);
}

/** The viewer's zone; until the browser has taken over, the zone the server drew the page in. */
export function useViewersZone(serverZone: string): string {
  const [zone, setZone] = useState(serverZone);
  useEffect(() => setZone(Intl.DateTimeFormat().resolvedOptions().timeZone), []);
  return zone;
}
