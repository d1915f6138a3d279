/** Where nobody chose a language some browsers say "C" (WebKit on Linux), which is none: to make a format by it throws. */
try {
  Intl.getCanonicalLocales(navigator.language);
} catch {
  Object.defineProperty(navigator, "language", { value: "en-GB", configurable: true });
}
