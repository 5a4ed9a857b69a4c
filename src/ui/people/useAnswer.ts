"use client";
import { useRouter } from "next/navigation";
import { useCallback, useEffect, useState } from "react";
import { problemOf } from "../../core/text/problem";
import { isOut, json } from "../../desk/api";

/** What a route answers, asked for again at will. Who is not signed in is led to where one signs in, and back. */
export function useAnswer<T>(path: string): { answer: T | null; problem: string | null; again: () => void } {
  const router = useRouter();
  const [answer, setAnswer] = useState<T | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const again = useCallback(() => {
    json<T>(path).then(
      (a) => {
        setAnswer(a);
        setProblem(null);
      },
      (e: unknown) => {
        if (isOut(e)) router.replace(`/sign-in?to=${encodeURIComponent(location.pathname)}`);
        else setProblem(problemOf(e));
      },
    );
  }, [path, router]);
  useEffect(again, [again]);
  return { answer, problem, again };
}
