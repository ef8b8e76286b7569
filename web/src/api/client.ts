import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

type Schemas = components["schemas"];
export type Import = Schemas["Import"];
export type ImportState = Schemas["ImportState"];
export type Act = Schemas["Act"];
export type Bundle = Schemas["Bundle"];
export type UndoPlan = Schemas["UndoPlan"];
export type Totals = Schemas["Totals"];
export type GoneCount = Schemas["GoneCount"];
export type Progress = Schemas["Progress"];
export type Column = Schemas["Column"];
export type Filling = components["schemas"]["Filling"];
export type ColumnValue = components["schemas"]["ColumnValue"];
export type Suggestion = Schemas["Suggestion"];
export type Parting = Schemas["Parting"];
export type RecordType = Schemas["RecordType"];
export type Field = Schemas["Field"];
export type Invitation = Schemas["Invitation"];
export type FieldChange = Schemas["FieldChange"];
export type Choice = Schemas["Choice"];
export type Feed = Schemas["Feed"];
export type FeedFile = Schemas["FeedFile"];
export type FeedTold = Schemas["FeedTold"];
export type FeedSetUp = Schemas["FeedSetUp"];
export type FeedBounds = Schemas["FeedBounds"];
export type FeedPart = Schemas["FeedPart"];
export type NoticeKind = Schemas["NoticeKind"];
export type ApprovalRules = Schemas["ApprovalRules"];
export type Hook = Schemas["Hook"];
export type LogEntry = Schemas["LogEntry"];
export type Token = Schemas["Token"];
export type Passkey = Schemas["Passkey"];
export type Settings = Schemas["Settings"];
export type Origin = Schemas["Origin"];
export type Routine = Schemas["Routine"];
export type Draft = Schemas["Draft"];
export type MatchRule = Schemas["MatchRule"];
export type RuleEffect = Schemas["RuleEffect"];
export type Answer = Schemas["Answer"];
export type AskedRow = Schemas["AskedRow"];
export type Candidate = Schemas["Candidate"];
export type Reading = Schemas["Reading"];
export type Row = Schemas["Row"];
export type RowProblem = Schemas["RowProblem"];
export type DraftRecord = Schemas["DraftRecord"];
export type Rec = Schemas["Record"];
export type Run = Schemas["Run"];
export type ProblemCount = Schemas["ProblemCount"];
export type Replacement = Schemas["Replacement"];
export type LoadRequest = Schemas["LoadRequest"];
export type UndoRequest = Schemas["UndoRequest"];
export type Person = Schemas["Person"];
export type Problem = Schemas["Problem"];
export type Verdict = Schemas["Verdict"];
export type Outcome = Schemas["Outcome"];
export type View = Schemas["View"];
export type SavedView = Schemas["SavedView"];
export type ViewColumn = Schemas["ViewColumn"];
export type Condition = Schemas["Condition"];
export type Recognised = Schemas["Recognised"];
export type How = Schemas["How"];
export type TypeList = RecordType[];

export const api = createClient<paths>({ baseUrl: "/api/v1" });

/** A problem document as an error that can be thrown. */
export class Fault extends Error {
  constructor(readonly problem: Problem) {
    super(problem.title);
  }
}

/** Takes the data of an answer or throws what went wrong. */
export async function must<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let a;
  try {
    a = await answer;
  } catch {
    throw new Fault({
      type: "about:blank",
      title: "The service does not answer.",
      status: 0,
      code: "service_unreachable",
      mend: "See whether it runs; this page tries again by itself.",
    });
  }
  if (a.response.ok) return a.data as T;
  const p = a.error as Partial<Problem> | undefined;
  throw new Fault({
    type: "about:blank",
    title: p?.title ?? `The service answered ${a.response.status}.`,
    status: a.response.status,
    code: p?.code ?? "unknown",
    ...p,
  } as Problem);
}
