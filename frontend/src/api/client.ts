import createClient from "openapi-fetch";

import type { paths } from "./schema";

export const api = createClient<paths>({ baseUrl: "/", fetch: (request) => fetch(request) });

/** An answer other than success, as the one sentence the server gave. */
export class ApiError extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
}

/** Away, too slow, or without room: what was asked may go well a little later. */
const PASSING = [0, 408, 502, 503, 504, 507];

/** Whether the same request is worth another try as it is. */
export function passes(error: unknown): error is ApiError {
  return error instanceof ApiError && PASSING.includes(error.status);
}

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer; throws an ApiError with the server's sentence otherwise. */
export async function wanted<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await asked;
  } catch {
    throw new ApiError("The server does not answer: is it still running?", 0);
  }
  if (!answer.response.ok) {
    throw new ApiError(sentence(answer.error), answer.response.status);
  }
  return answer.data as T;
}

export function sentence(error: unknown): string {
  if (error && typeof error === "object" && "message" in error) return String(error.message);
  return "The server gave no reason.";
}

export interface Uploaded {
  job: string | null;
  recording?: number | null;
  message?: string;
}

/** Send a file as the body of a request, telling how much has gone, 0..1. */
export function upload<T = Uploaded>(path: string, file: File, progress: (share: number) => void, signal: AbortSignal): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    const url = new URL(path, location.href);
    url.searchParams.set("name", file.name);
    request.open("POST", url);
    request.responseType = "json";
    request.upload.onprogress = (event) => progress(event.loaded / Math.max(1, event.total));
    request.onload = () => {
      if (request.status < 300) resolve(request.response as T);
      else reject(new ApiError(sentence(request.response), request.status));
    };
    request.onerror = () => reject(new ApiError(`'${file.name}' could not be sent.`, 0));
    request.onabort = () => reject(new ApiError("Stopped.", -1));
    signal.addEventListener("abort", () => request.abort());
    request.send(file);
  });
}
