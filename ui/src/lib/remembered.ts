import { useCallback, useState } from "react";

/** One of a few words that this browser remembers, such as which face of an area is shown. */
export function useRemembered<Word extends string>(name: string, words: readonly Word[], usual: Word): [Word, (word: Word) => void] {
  const [word, setWord] = useState<Word>(() => {
    try {
      const kept = localStorage.getItem(name);
      return words.find((one) => one === kept) ?? usual;
    } catch {
      return usual;
    }
  });
  const remember = useCallback(
    (next: Word) => {
      setWord(next);
      try {
        localStorage.setItem(name, next);
      } catch {
        // A browser that keeps nothing shows the usual one at the next visit.
      }
    },
    [name],
  );
  return [word, remember];
}
