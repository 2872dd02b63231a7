import { useMemo, useState } from 'react';
import type { Finding } from '../api/client';
import { doubtful, type Edge } from '../edge/useEdge';
import { checkName } from '../shared/marks';
import type { Focus } from './Viewer';

/** Of places that are shown: by how grave what was found there is. */
export const COLOURS = { fix: '#C2386F', look: '#C98A00', note: '#3B4247' };

/** Where the viewer flies to for a finding; the same object as long as it is the same finding. */
export function useFocus(finding: Finding | undefined): Focus | null {
  const [focus, setFocus] = useState<{ of: Finding | undefined; focus: Focus | null }>({ of: undefined, focus: null });
  if (focus.of !== finding) {
    const [x = 0, y = 0, width = 0, height = 0] = finding?.place?.original ?? [];
    const made = finding?.place
      ? {
          place: { x, y, width, height },
          label: `${checkName(finding.check)} · ${finding.figure.toLocaleString('en')} ${finding.unit}`,
          colour: COLOURS[finding.severity],
        }
      : null;
    setFocus({ of: finding, focus: made });
    return made;
  }
  return focus.focus;
}

/** Where the viewer flies to on a walk along the edge; the same object as long as it is the same stretch. */
export function useStretch({ here, at }: Edge): Focus | null {
  return useMemo(() => {
    if (!here || at === null) return null;
    const [x = 0, y = 0, width = 0, height = 0] = here.box;
    return {
      place: { x, y, width, height },
      label: here.fault ?? `fringe ${here.fringe.toFixed(1)} ΔE`,
      colour: doubtful(here) ? COLOURS.look : COLOURS.note,
      zoom: 2,
    };
  }, [here, at]);
}
