import createClient from "openapi-fetch";

import type { components, paths } from "./schema";

export type Recording = components["schemas"]["RecordingOut"];
export type Job = components["schemas"]["JobOut"];
type Registered = components["schemas"]["Catalogue"]["whole"][number];
type Ranged = Extract<Registered, { low: number }>;
/** A rule of a screen's own need not say what only the registry knows. */
export type Parameter = Omit<Ranged, "marks" | "when" | "instant"> & Partial<Pick<Ranged, "marks" | "when" | "instant">>;
export type Choice = Extract<Registered, { options: string[] }>;
export type Declared = Parameter | Choice;
export type MovementAction = components["schemas"]["MovementActionIn"]["action"];
export type Movement = components["schemas"]["MovementOut"];
export type RouteReading = Movement["routes"][number];
export type Finding = Movement["findings"][number];
export type ModulatorKind = Omit<components["schemas"]["Catalogue"]["modulator_kinds"][number], "parameters"> & { parameters: Declared[] };
export type KeptMovement = components["schemas"]["KeptMovements"]["movements"][number];
export type LayerAction = components["schemas"]["ActionIn"]["action"];
export type Variant = components["schemas"]["VariantList"]["variants"][number];
export type Value = number | string;

export function isChoice(declared: Declared): declared is Choice {
  return "options" in declared;
}
/** The registry of everything that can be set. */
export type Registry = Omit<components["schemas"]["Catalogue"], "whole" | "kinds" | "members" | "entries" | "modulator_kinds" | "routes"> & {
  whole: Declared[];
  kinds: Record<string, Declared[]>;
  members: Parameter[];
  entries: Parameter[];
  modulator_kinds: ModulatorKind[];
  routes: Parameter[];
};
export type InstrumentLine = components["schemas"]["InstrumentList"]["instruments"][number];
export type InstrumentState = components["schemas"]["InstrumentOut"];
export type ProjectSettings = components["schemas"]["ProjectSettings"];
export type Sheet = components["schemas"]["BenchOut"];
export type StepKind = components["schemas"]["StepKinds"]["kinds"][number];
export type Stage = components["schemas"]["StageOut"];
export type LoopFound = components["schemas"]["LoopsOut"]["loops"][number];
export type Seam = components["schemas"]["SeamOut"];
export type Pitch = components["schemas"]["PitchOut"];
export type Onsets = components["schemas"]["OnsetsOut"];
export type Card = components["schemas"]["Card"];
export type Capture = components["schemas"]["CaptureOut"];
export type Lineage = components["schemas"]["Lineage"];
export type RenderRequest = components["schemas"]["RenderIn"];

export const api = createClient<paths>({ baseUrl: "/" });

/** An answer other than success, as the one sentence the server gave. */
export class ApiError extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
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

function sentence(error: unknown): string {
  if (error && typeof error === "object" && "message" in error) return String(error.message);
  return "The server gave no reason.";
}

export interface Uploaded {
  job: string | null;
  recording?: number | null;
  message?: string;
}

/** Send a file as the body of a request, telling how much has gone, 0..1. */
export function upload(
  path: string,
  file: File,
  progress: (share: number) => void,
  signal: AbortSignal,
): Promise<Uploaded> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", `${path}?name=${encodeURIComponent(file.name)}`);
    request.responseType = "json";
    request.upload.onprogress = (event) => progress(event.loaded / Math.max(1, event.total));
    request.onload = () => {
      if (request.status < 300) resolve(request.response as Uploaded);
      else reject(new ApiError(sentence(request.response), request.status));
    };
    request.onerror = () => reject(new ApiError(`'${file.name}' could not be sent.`, 0));
    request.onabort = () => reject(new ApiError("Stopped.", -1));
    signal.addEventListener("abort", () => request.abort());
    request.send(file);
  });
}
