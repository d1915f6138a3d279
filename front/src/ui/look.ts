/** Looks that several things share, as classes. */

/** The rim of one of several that can be chosen. */
export const rim = (chosen: boolean) => (chosen ? "border-2 border-pine" : "border-rule hover:border-slate");

/** What can be pressed and stays so. */
export const pressedLook = "aria-pressed:border-pine aria-pressed:bg-pine-wash aria-pressed:font-semibold";

/** What lies over the page. */
export const sheetLook = "rounded-[8px] border border-rule bg-paper shadow-xl";

/** What is asked before all else. */
export const dialogLook = "rounded-[8px] border border-rule bg-white shadow-lg";

/** What is to be done next. */
export const pineLook = "bg-pine text-white hover:bg-pine-deep";

/** A word to press. */
export const wordLook = "font-semibold text-pine hover:underline disabled:text-slate/60 disabled:no-underline";

/** A field that whoever is here may not change. */
export const fixedLook = "disabled:bg-paper disabled:text-slate";

/** A small thing to press, on white. */
export const whiteLook = "border border-rule bg-white hover:border-slate";
