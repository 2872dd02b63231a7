/** A small panel that lies on a picture. */
export const panel = { bg: 'paper.raised', borderRadius: 'yard', boxShadow: 'yard' } as const;
