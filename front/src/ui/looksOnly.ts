import { createContext, useContext } from "react";

/** Whether whoever is here may look and not change anything: then what changes something cannot be pressed. */
export const LooksOnly = createContext(false);

export const useLooksOnly = () => useContext(LooksOnly);
