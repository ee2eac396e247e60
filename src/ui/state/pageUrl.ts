import { createContext, useContext } from 'react';

const Place = createContext('/');

export const PageUrlProvider = Place.Provider;

/** The path of the page that is open. */
export function usePageUrl(): string {
  return useContext(Place);
}
