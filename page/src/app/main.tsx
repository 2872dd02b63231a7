import { ChakraProvider } from '@chakra-ui/react';
import { QueryClientProvider } from '@tanstack/react-query';
import { lazy, StrictMode, Suspense, type ComponentType } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter, Route, Routes } from 'react-router';
import { followEvents } from '../api/events';
import { queries } from '../api/queries';
import { DeliveriesPage } from '../deliveries/DeliveriesPage';
import { IntakePage } from '../intake/IntakePage';
import { LineupPage } from '../lineup/LineupPage';
import { LotsPage } from '../lots/LotsPage';
import { SheetsPage } from '../sheets/SheetsPage';
import { TryPage } from '../sheets/TryPage';
import { SpecsPage } from '../specs/SpecsPage';
import { Trouble } from '../shared/states';
import { Shell } from './Shell';
import { system } from './theme';

// The bench with its viewer is a third of the code; the other pages show without it and fetch it when they are idle.
let fetched: ComponentType | null = null;
const bench = async () => {
  const { BenchPage } = await import('../bench/BenchPage');
  fetched = BenchPage;
  return { default: BenchPage };
};
const LazyCompare = lazy(async () => ({ default: (await import('../compare/ComparePage')).ComparePage }));
const LazyBench = lazy(bench);
addEventListener('load', () => requestIdleCallback(() => void bench()));

/** The bench, at once where its code is there: what was suspended React shows no sooner than after 300 ms. */
function BenchRoute() {
  const Bench = fetched ?? LazyBench;
  return (
    <Suspense fallback={null}>
      <Bench />
    </Suspense>
  );
}

followEvents(queries);

const root = document.getElementById('root');
if (root) {
  createRoot(root).render(
    <StrictMode>
      <ChakraProvider value={system}>
        <QueryClientProvider client={queries}>
          <BrowserRouter>
            <Routes>
              <Route path="/lots/:lotId/photos/:photoId" element={<BenchRoute />} />
              <Route element={<Shell />}>
                <Route path="/" element={<LotsPage />} />
                <Route path="/lots/:lotId" element={<LineupPage />} />
                <Route
                  path="/lots/:lotId/compare"
                  element={
                    <Suspense fallback={null}>
                      <LazyCompare />
                    </Suspense>
                  }
                />
                <Route path="/lots/:lotId/try" element={<TryPage />} />
                <Route path="/sheets" element={<SheetsPage />} />
                <Route path="/specs" element={<SpecsPage />} />
                <Route path="/deliveries" element={<DeliveriesPage />} />
                <Route path="/intake" element={<IntakePage />} />
                <Route path="*" element={<Trouble message="There is no page at this address." />} />
              </Route>
            </Routes>
          </BrowserRouter>
        </QueryClientProvider>
      </ChakraProvider>
    </StrictMode>,
  );
}
