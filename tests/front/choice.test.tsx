// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { createElement } from "react";
import { afterEach, expect, test } from "vitest";
import { Choice } from "../../front/src/ui/Choice";

afterEach(cleanup);

/** “Not said” is a choice like any other: it can be chosen again, and pressed twice it stays. */
test("the empty choice can be chosen", () => {
  const chosen: string[] = [];
  const choices = [["", "not said"] as const, ["3", "gloss"] as const];
  const film = (value: string) => createElement(Choice, { label: "Film", value, choices, onChange: (one: string) => chosen.push(one) });
  const { rerender } = render(film("3"));
  fireEvent.click(screen.getByRole("radio", { name: "not said" }));
  expect(chosen).toEqual([""]);
  rerender(film(""));
  expect(screen.getByRole("radio", { name: "not said" }).getAttribute("aria-checked")).toBe("true");
  fireEvent.click(screen.getByRole("radio", { name: "not said" }));
  expect(chosen).toEqual([""]);
});
