/** What the house says of itself, for every part of the page: what maps can be of, which files it reads and writes. */
import { createContext, useContext } from "react";
import type { Facts } from "../api/client";

export const NO_FACTS: Facts = { map_roles: [], brought_in: [], maps_in: [], written: [] };

export const HouseFacts = createContext<Facts>(NO_FACTS);

export function useFacts(): Facts {
  return useContext(HouseFacts);
}
