// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { createElement } from "react";
import { afterEach, expect, test } from "vitest";
import { Action, Button, FileButton, WordButton } from "../../front/src/ui/Button";
import { ChoiceRow } from "../../front/src/ui/Choice";
import { TextField } from "../../front/src/ui/Field";
import { LooksOnly } from "../../front/src/ui/looksOnly";

afterEach(cleanup);

const done: string[] = [];
const all = (looksOnly: boolean) =>
  createElement(
    LooksOnly,
    { value: looksOnly },
    createElement(Action, { onClick: () => done.push("cut"), children: "Cut it" }),
    createElement(WordButton, { onClick: () => done.push("taken out"), children: "Take it out" }),
    createElement(Button, { looks: true, onClick: () => done.push("seen"), children: "Show it" }),
    createElement(ChoiceRow<string>, {
      label: "Film",
      why: "",
      value: "none",
      choices: [
        ["none", "none"],
        ["gloss", "gloss"],
      ],
      onChange: (value) => done.push(value),
    }),
    createElement(FileButton, { accept: "", take: () => done.push("file"), children: "Choose a file" }),
    createElement(TextField, { label: "Name", value: "Jar", onChange: (value) => done.push(value) }),
  );

/** Presses all there is to press, opens what opens; says what came of it. */
function pressed(looksOnly: boolean) {
  done.length = 0;
  render(all(looksOnly));
  for (const one of screen.getAllByRole("button")) fireEvent.click(one);
  fireEvent.click(screen.getByRole("radio", { name: "gloss" }));
  return [...done];
}

test("who may only look can press what only shows", () => {
  expect(pressed(true)).toEqual(["seen"]);
  expect((screen.getByLabelText("Name") as HTMLInputElement).disabled).toBe(true);
  expect((screen.getByLabelText("Choose a file") as HTMLInputElement).disabled).toBe(true);
});

test("whoever may change can press all", () => {
  expect(pressed(false)).toEqual(["cut", "taken out", "seen", "gloss"]);
  expect((screen.getByLabelText("Name") as HTMLInputElement).disabled).toBe(false);
});
