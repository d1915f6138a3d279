import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { sheetLook } from "./look";

type SheetProps = { open: boolean; close: () => void; title: string; titleShown?: boolean; width: string; children: ReactNode };

/** A sheet of paper over the station; Escape takes it away. */
export function Sheet({ open, close, title, titleShown = true, width, children }: SheetProps) {
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && close()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className={`fixed top-[72px] left-1/2 max-h-[calc(100vh-96px)] -translate-x-1/2 overflow-y-auto ${sheetLook} ${width}`}
        >
          <Dialog.Title className={titleShown ? "text-[18px] font-semibold" : "sr-only"}>{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
