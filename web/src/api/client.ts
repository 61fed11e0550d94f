/** The API, typed by the documents that the server gives of itself. */
import createClient from "openapi-fetch";
import type { components } from "./schema";

type Schemas = components["schemas"];
type OfInstallation = import("./installation").components["schemas"];
export type ListedSite = OfInstallation["ListedSite"];
export type NewSite = OfInstallation["NewSite"];
export type Limits = OfInstallation["Limits"];
export type Picture = Schemas["PictureBody"];
export type Variant = Schemas["VariantBody"];
export type Fitting = Schemas["Preview"];
export type PlaceAsked = Schemas["PlaceAsked"];
export type Wish = Schemas["Wish"];
export type Fit = Schemas["Fit"];
export type Format = Schemas["Format"];
export type FocalPoint = Schemas["FocalPoint"];
export type Margin = Schemas["Margin"];
export type Saving = Schemas["Saving"];
export type Tally = Schemas["Tally"];
export type Layouts = Schemas["Layouts"];
export type MeasuredPage = Schemas["PageBody"];
export type Slot = Schemas["SlotBody"];
export type Place = Schemas["LayoutPlace"];
export type Issue = Schemas["IssueBody"];
export type SlotChange = Schemas["SlotChange"];
export type NewSlot = Schemas["NewSlot"];
export type Site = Schemas["SiteBody"];
export type SiteChange = Schemas["SiteChange"];
export type SizeSet = Schemas["SizeSetBody"];
export type Encoders = Schemas["EncodersBody"];
export type OutsideEncoder = Schemas["OutsideEncoder"];
export type EncoderTried = Schemas["EncoderTriedBody"];
export type NewSizeSet = Schemas["NewSizeSet"];
export type SetSize = Schemas["SetSize"];
export type SlotBoxes = Schemas["SlotBoxes"];
export type Description = Schemas["Description"];
export type IssueKind = Schemas["IssueKind"];
export type PicturePage = Schemas["PicturePage"];
export type PictureFields = Schemas["Fields"];
export type Shelves = Schemas["Shelves"];
export type FilterBody = Schemas["Filter"];
export type Which = Schemas["Which"];
export type Change = Schemas["ChangeBody"];
export type Removal = Schemas["RemovalBody"];
export type Pair = Schemas["PairBody"];
export type TableBody = Schemas["TableBody"];
export type FileOutcome = Schemas["FileOutcome"];
export type UploadBody = Schemas["UploadBody"];
export type Appended = Schemas["AppendedBody"];
export type ImportAction = Schemas["ImportAction"];
export type SortBy = NonNullable<NonNullable<import("./schema").operations["list"]["parameters"]["query"]>["sort"]>;
export type BenchBody = Schemas["BenchBody"];
export type Adjustments = Schemas["Adjustments"];
export type Step = Schemas["StepBody"];
export type SlotName = Schemas["SlotName"];
export type RotateOrFlip = Schemas["RotateOrFlip"];
export type Trimmed = Schemas["Trimmed"];
export type Framings = Schemas["Framings"];
export type SlotFraming = Schemas["SlotFraming"];
export type WidthFraming = Schemas["WidthFraming"];
export type Holding = Schemas["Holding"];
export type Rect = Schemas["Rect"];
export type EditEntry = Schemas["EditEntry"];
export type Edit = Schemas["Edit"];
export type EditKind = Schemas["EditKind"];
export type Figure = Schemas["Figure"];
export type Behind = Schemas["Behind"];
export type Archives = Schemas["ArchivesBody"];
export type Overrun = Schemas["OverrunBody"];
export type Film = Schemas["FilmBody"];
export type NewFilm = Schemas["NewFilm"];
export type Run = Schemas["RunBody"];
export type RunItem = Schemas["RunItemBody"];
export type Forecast = Schemas["ForecastBody"];
export type NewRun = Schemas["NewRun"];
export type Publication = Schemas["PublicationBody"];
export type PublicationList = Schemas["PublicationList"];
export type PublicationSums = Schemas["PublicationSums"];
export type PublicationReport = Schemas["PublicationReport"];
export type WholePublication = Schemas["WholePublication"];
export type NewPublication = Schemas["NewPublication"];
export type Difference = Schemas["Difference"];
export type RunLimits = Schemas["RunLimits"];
export type RunTakenBack = Schemas["RunTakenBackBody"];
export type RunCheck = Schemas["CheckBody"];
export type Margins = Schemas["MarginsBody"];
export type PageMargin = Schemas["PageMarginBody"];
export type HeavierPage = Schemas["HeavierBody"];
export type PageBudgets = Schemas["PageBudgets"];
export type SiteHistory = Schemas["HistoryBody"];
export type Gain = Schemas["GainBody"];
export type PageOrder = Schemas["PageOrder"];
export type PageComing = Schemas["PageComingBody"];
export type RequestBody = Schemas["RequestBody"];
export type LoadTimes = Schemas["LoadTimes"];
export type RequestKind = Schemas["RequestKind"];
export type TimeMargin = Schemas["TimeMargin"];
export type Length = Schemas["Length"];
export type TextContrast = Schemas["TextContrast"];
export type Histogram = Schemas["Histogram"];
export type View = Schemas["ViewAsked"];
export type EditPreset = Schemas["EditPreset"];
export type Proof = Schemas["ProofBody"];
export type Trial = Schemas["TrialBody"];
export type TrialFrame = Schemas["FrameBody"];
export type Tried = Schemas["TriedBody"];
export type By = Schemas["By"];
export type Spot = Schemas["WorstSpot"];
export type RuleLevel = Schemas["RuleLevel"];
export type QualityTarget = Schemas["QualityTarget"];
export type ChoiceOutcome = Schemas["ChoiceOutcome"];
export type ResponsiveSet = Schemas["SetBody"];
export type SetFile = Schemas["SetFileBody"];
export type EffectiveRule = Schemas["EffectiveRule"];
export type OutputRule = Schemas["OutputRule"];
export type ByteCap = Schemas["ByteCap"];
export type Job = Schemas["JobBody"];
export type Jobs = Schemas["JobsBody"];
export type Report = Schemas["Report"];
export type Icons = Schemas["IconsBody"];
export type IconDesign = Required<Schemas["IconDesign"]>;
export type IconLooks = Schemas["IconLooks"];
export type IconLook = Schemas["IconLook"];
export type IconSetting = Schemas["IconSetting"];
export type SmallLook = Schemas["SmallLook"];
export type Legibility = Schemas["Legibility"];
export type TouchUps = Schemas["TouchUps"];
export type CheckedIcon = Schemas["CheckedIcon"];
export type IconReport = Schemas["IconReport"];
export type Problem = Schemas["Problem"];

/** What the addresses of this site begin with; empty where all sites are shown. */
export const siteSlug = decodeURIComponent(location.pathname.split("/")[1] ?? "");
/** Where the API of this site is. */
export const siteApi = `/api/sites/${encodeURIComponent(siteSlug)}`;

/** The API of this site. */
export const api = createClient<import("./schema").paths>({ baseUrl: siteApi });
/** The API of another site than this one. */
export const apiOf = (slug: string) => createClient<import("./schema").paths>({ baseUrl: `/api/sites/${slug}` });
/** The API of the installation: which sites there are. */
export const installation = createClient<import("./installation").paths>({ baseUrl: "/" });

/** What the server said went wrong, in its own words. */
export class ApiError extends Error {
  readonly status: number;

  constructor(problem: Partial<Problem> | undefined, status: number) {
    const words = problem?.detail ?? `the server answered ${status}; see that it is running`;
    // By which whoever looks after the server finds it in the log.
    super(status >= 500 && problem?.request ? `${words} (request ${problem.request})` : words);
    this.status = status;
  }
}

/** The data of an answer, or its problem thrown. */
export function unwrap<T>(answer: { data?: T; error?: unknown; response: Response }): T {
  if (answer.data === undefined) {
    throw new ApiError(answer.error as Partial<Problem> | undefined, answer.response.status);
  }
  return answer.data;
}

/** Throws the problem of an answer that has no data. */
export function accept(answer: { error?: unknown; response: Response }) {
  if (!answer.response.ok) throw new ApiError(answer.error as Partial<Problem> | undefined, answer.response.status);
}

/** `step` is the step of its adjustments that holds: with another one, it looks otherwise. */
export const previewUrl = (id: string, size: "thumbnail" | "bench", step: string | null | undefined) =>
  `${siteApi}/pictures/${id}/preview?size=${size}${step ? `&step=${step}` : ""}`;
export const fileUrl = (id: string) => `${siteApi}/variants/${id}/file`;
export const saveUrl = (id: string) => `${siteApi}/variants/${id}/file?save=true`;
export const referenceUrl = (id: string) => `${siteApi}/variants/${id}/reference`;
export const servedUrl = (hash: string) => `${siteApi}/served/${hash}`;
/** Where anybody may fetch the best file of a public picture for `place`: a slot, or a width in CSS px. */
export const deliveryUrl = (picture: string, place: string) =>
  `${location.origin}/d/${encodeURIComponent(siteSlug)}/${picture}/${place}`;
export const originalUrl = (id: string) => `${siteApi}/pictures/${id}/original`;
