import { createContext, useContext } from 'react';

const Place = createContext('/');

export const PlaceProvider = Place.Provider;

/** The path of the page that is open. */
export function usePlace(): string {
  return useContext(Place);
}
