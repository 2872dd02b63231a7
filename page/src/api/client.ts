import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

// The client's answers have arrays where the schema has tuples; so have these types.
type Loose<T> = T extends readonly (infer U)[] ? Loose<U>[] : T extends object ? { [K in keyof T]: Loose<T[K]> } : T;
export type Schemas = Loose<components['schemas']>;
export type Lot = Schemas['LotDetail'];
export type LotCardData = Schemas['LotCard'];
export type OwnCard = Schemas['OwnCard'];
export type Tile = Schemas['LineupTile'];
export type Photo = Schemas['PhotoDetail'];
export type Finding = Schemas['FindingOut'];
export type Island = Schemas['Island'];
export type Islands = Schemas['Islands'];
export type Strip = Schemas['StripOut'];
export type Scope = 'photo' | 'lot' | 'spec';
export type Graph = Schemas['LiftGraph'];
export type Sample = Schemas['SampleOut'];
export type Pixel = Schemas['PixelOut'];
export type Delivery = Schemas['DeliveryOut'];
export type Verdict = 'fix' | 'look' | 'ready';
export type EdgeReport = Schemas['EdgeReport'];
export type Speck = Schemas['SpeckOut'];
export type Shelved = Schemas['Shelved'];
export type Carried = Schemas['Carried'];
export type TriedCell = Schemas['TriedCell'];
export type ListingSpec = Schemas['ListingSpec'];
export type Arrival = Schemas['Arrival'];
export type DeliveredFile = Schemas['DeliveredFile'];
export type DeliveredOf = NonNullable<
  NonNullable<paths['/api/deliveries/{delivery_id}/files']['get']['parameters']['query']>['which']
>;
export type Intake = Schemas['IntakeReport'];

export const client = createClient<paths>({ baseUrl: '' });

/** The data of an answer; an Error with the server's own message otherwise. */
export async function answered<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const { data, error, response } = await call.catch(() => {
    // The browser's own words for a server that is gone tell nobody what to do.
    throw new Error('Yard Chalk did not answer. Nothing is lost: do it again once it is back.');
  });
  if (error !== undefined || !response.ok)
    throw new Error(messageOf(error) ?? `The server answered ${response.status}.`);
  return data as T;
}

export function messageOf(error: unknown): string | undefined {
  if (error instanceof Error) return error.message;
  if (typeof error === 'object' && error && 'message' in error) return String(error.message);
  return undefined;
}
