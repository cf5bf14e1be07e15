/** Names for what the server publishes; the shapes themselves are made from its description. */
import type { components } from "./schema";

type Schemas = components["schemas"];

export type Parameter = Schemas["Parameter"];
export type Choice = Schemas["Choice"];
export type Declared = Parameter | Choice;
export type Registry = Schemas["Catalogue"];
export type ModulatorKind = Schemas["ModulatorKindOut"];
export type ProjectSettings = Schemas["ProjectSettings"];

export type Operation = Schemas["Operation"];
export type Value = number | string;
/** What is set of an owner, by the names of its parameters. */
export type Settings = Readonly<Record<string, Value>>;
type Fields = Readonly<Record<string, unknown>>;

export type Instrument = Schemas["Instrument"];
export type InstrumentRevision = Schemas["InstrumentRevision"];
export type InstrumentLine = Schemas["InstrumentLine"];
export type Layer = Instrument["layers"][number];
export type Effect = Instrument["effects"][number];
export type Modulator = Instrument["modulators"][number];
export type Route = Schemas["Route"];
export type Sound = Schemas["Sound"];
export type Curve = Schemas["Curve"];
export type Point = Curve["points"][number];
export type LayerAction = Schemas["ActionIn"]["action"];
export type Bus = Instrument["buses"][number];
export type Send = Layer["sends"][number];
export type EffectKind = Schemas["EffectKindOut"];
export type EffectPicture = Schemas["EffectPictureOut"];
export type VariationSet = Schemas["VariationSet"];
export type VariationShown = Schemas["VariationShown"];
export type VariationsDrawn = Schemas["VariationsDrawn"];
export type VariationsRevision = Schemas["VariationsRevision"];
export type Exporter = Schemas["ExporterOut"];
export type SwapSheet = Schemas["SwapSheet"];
export type SwapRow = Schemas["SwapRow"];
export type SampleSet = Schemas["SampleSet"];
export type Sampled = Schemas["Sampled"];
export type SamplesMade = Schemas["SamplesMade"];
export type SamplesRevision = Schemas["SamplesRevision"];
export type Timeline = Schemas["Timeline"];
export type TimelineLane = Timeline["lanes"][number];
export type TimelineClip = TimelineLane["clips"][number];
export type TimelineScene = Timeline["scenes"][number];
export type TimelineLine = Schemas["TimelineLine"];
export type TimelineRevision = Schemas["TimelineRevision"];
export type TimelineAction = Schemas["TimelineActionIn"]["action"];
export type TimelineReady = Schemas["TimelineReady"];
export type ReadyFinding = Schemas["Finding"];
export type ClipOutline = Schemas["ClipOutline"];
export type Ensemble = Schemas["Ensemble"];
export type Player = Schemas["Player"];
export type EnsembleLine = Schemas["EnsembleLine"];
export type EnsembleRevision = Schemas["EnsembleRevision"];
export type EnsembleAction = Schemas["EnsembleActionIn"]["action"];
export type SnapshotAction = Schemas["SnapshotActionIn"]["action"];
export type Snapshot = Schemas["Snapshot"];
export type SnapshotsTold = Schemas["SnapshotsOut"];
export type MixAction = Schemas["MixActionIn"]["action"];
export type KeptChain = Schemas["KeptChain"];
export type MovementAction = Schemas["MovementActionIn"]["action"];
export type Movement = Schemas["MovementOut"];
export type RouteReading = Schemas["RouteReading"];
export type Finding = Schemas["FindingOut"];
export type KeptMovement = Schemas["KeptMovement"];
export type MissedRoute = Schemas["MissedRoute"];
export type Variant = Schemas["VariantOut"];
export type KeyPortrait = Schemas["KeyPortrait"];
export type ExportRequest = Schemas["ExportIn"];
export type RenderRequest = Schemas["RenderIn"];

export type Recording = Schemas["RecordingOut"];
export type RecordingLine = Schemas["RecordingLine"];
export type RecordingEdit = Schemas["RecordingEdit"];
export type Lineage = Schemas["Lineage"];
export type Card = Schemas["Card"];
export type Capture = Schemas["CaptureOut"];
export type Storage = Schemas["Storage"];
export type Job = Schemas["JobOut"];

export type Recipe = Schemas["Recipe"];
export type RecipeRevision = Schemas["RecipeRevision"];
export type Step = Recipe["steps"][number];
export type StepKind = Schemas["StepKindOut"];
export type Stage = Schemas["StageOut"];
export type LoopFound = Schemas["LoopFound"];
export type Seam = Schemas["SeamOut"];
export type Pitch = Schemas["PitchOut"];
export type Pieces = Schemas["Pieces"];
export type PiecesRevision = Schemas["PiecesRevision"];
export type PiecesFound = Schemas["PiecesFound"];
export type PieceFound = Schemas["PieceFound"];
export type NoteFound = Schemas["NoteFound"];

export type TableDocument = Schemas["TableDocument"];
export type TableRevision = Schemas["WavetableRevision"];
export type TableMade = Schemas["TableMade"];
export type TableFrame = Schemas["FrameOut"];
export type TableWords = Schemas["TableWords"];
export type TableStep = TableDocument["steps"][number];
export type Operator = Schemas["Operator"];
export type NewTable = Schemas["NewTable"];

export type SpectrumDocument = Schemas["SpectrumDocument"];
export type SpectrumRevision = Schemas["SpectrumRevision"];
export type SpectrumMade = Schemas["SpectrumMade"];
export type SpectrumPicture = Schemas["SpectrumPicture"];

export type LiveMessage = Schemas["LiveMessage"];
export type LiveAnswer = Schemas["LiveAnswer"];
export type Look = Schemas["Look"];
export type Watched = Schemas["Watched"];
export type LayerLook = Schemas["LayerLook"];
export type Moving = Schemas["Moving"];
export type Seen = Schemas["Seen"];

export function isChoice(declared: Declared): declared is Choice {
  return "options" in declared;
}

/** A setting as a number; choices and missing ones count as 0. */
export function number(settings: Fields, id: string): number {
  const value = settings[id];
  return typeof value === "number" ? value : 0;
}

/** A setting as a word; empty where there is none. */
export function word(settings: Fields, id: string): string {
  return String(settings[id] ?? "");
}

/** A setting of any kind, by its name. */
export function field(settings: Fields, id: string): unknown {
  return settings[id];
}

export type Taken = Extract<LiveAnswer, { is: "taken" }>;
export type TakeDocument = Schemas["TakeDocument"];
export type TakeRevision = Schemas["TakeRevision"];
export type TakeLine = Schemas["TakeLine"];
export type Hands = Schemas["Hands"];
export type Lane = Schemas["LaneShown"];
export type PlayedNote = Schemas["NoteShown"];
export type Moment = Schemas["MomentShown"];
export type KeptMoment = Schemas["KeptMoment"];
export type Rendering = Schemas["Rendering"];
export type WayAgain = Schemas["WayIn"];
export type HandEdit = TakeDocument["edits"][number];
