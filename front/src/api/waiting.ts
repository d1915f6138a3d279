import { useEffect, useState } from "react";

/** When what is not answered yet was asked, milliseconds of this page. */
const waiting = new Map<Promise<unknown>, number>();

/** Notes that an answer is waited for. */
export function noted<T>(asked: Promise<T>): Promise<T> {
  waiting.set(asked, performance.now());
  const over = () => void waiting.delete(asked);
  asked.then(over, over);
  return asked;
}

/** Nothing is said of a wait that is shorter. */
const LONG_SECONDS = 4;

const waited = () => {
  const oldest = Math.min(...waiting.values());
  const seconds = Math.floor((performance.now() - oldest) / 1000);
  return seconds >= LONG_SECONDS ? seconds : 0;
};

/** For how many seconds the oldest question has had no answer; 0: for no long time. */
export function useWaited(): number {
  const [seconds, setSeconds] = useState(0);
  useEffect(() => {
    const timer = setInterval(() => setSeconds(waited()), 500);
    return () => clearInterval(timer);
  }, []);
  return seconds;
}
