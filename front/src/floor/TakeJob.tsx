import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { api, told } from "../api/client";
import { useTask } from "../api/tasks";
import { Button, FileButton } from "../ui/Button";

/** A job that was saved as a file, here or in another shop, taken in as a new one. */
export function TakeJob() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [sending, setSending] = useState(false);
  const { progress, start, cancel } = useTask("saved job", "take in a job", (taken) => {
    void queries.invalidateQueries();
    for (const words of taken.told) toast(words, { duration: 15_000 });
    if (taken.job_id !== null) void navigate(`/floor/job/${taken.job_id}`);
  });
  const send = async (file: File) => {
    const body = new FormData();
    body.append("file", file);
    setSending(true);
    await start("Reading it", () => told(api.POST("/api/jobs/file", { body: body as never, bodySerializer: () => body })));
    setSending(false);
  };
  if (progress)
    return (
      <span role="status" className="flex items-center gap-2">
        <span className="max-w-[220px] truncate text-slate">{progress.words}</span>
        <b className="font-semibold">{Math.round(progress.share * 100)} %</b>
        <Button onClick={cancel}>Stop</Button>
      </span>
    );
  return (
    <FileButton accept=".zip" take={(file) => void send(file)}>
      {sending ? "Sending it" : "Take in a saved job"}
    </FileButton>
  );
}
