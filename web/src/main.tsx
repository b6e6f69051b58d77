import '@fontsource-variable/hanken-grotesk';
import '@fontsource-variable/jetbrains-mono';
import '@fontsource-variable/newsreader';
import '@fontsource-variable/newsreader/standard-italic.css';
import './styles.css';
import { QueryClientProvider } from '@tanstack/react-query';
import { lazy, StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter, Route, Routes } from 'react-router';
import { queryClient } from './api/queries.ts';
import { TodayPage } from './pages/TodayPage.tsx';
import { Shell } from './parts/Shell.tsx';
import { applyKeptTheme } from './parts/theme.ts';

// Loaded when they are first gone to; Today, which most people open first, comes at once.
const ConnectionsPage = lazy(async () => ({ default: (await import('./pages/ConnectionsPage.tsx')).ConnectionsPage }));
const NeedsYouPage = lazy(async () => ({ default: (await import('./pages/NeedsYouPage.tsx')).NeedsYouPage }));
const DuplicatesPage = lazy(async () => ({ default: (await import('./pages/DuplicatesPage.tsx')).DuplicatesPage }));
const RecordsPage = lazy(async () => ({ default: (await import('./pages/RecordsPage.tsx')).RecordsPage }));
const UndoPage = lazy(async () => ({ default: (await import('./pages/UndoPage.tsx')).UndoPage }));
const NotSentPage = lazy(async () => ({ default: (await import('./pages/NotSentPage.tsx')).NotSentPage }));
const ReconcilePage = lazy(async () => ({ default: (await import('./pages/ReconcilePage.tsx')).ReconcilePage }));
const InStepPage = lazy(async () => ({ default: (await import('./pages/InStepPage.tsx')).InStepPage }));
const LinksPage = lazy(async () => ({ default: (await import('./pages/LinksPage.tsx')).LinksPage }));
const NewWorkflowPage = lazy(async () => ({ default: (await import('./pages/NewWorkflowPage.tsx')).NewWorkflowPage }));
const NotFoundPage = lazy(async () => ({ default: (await import('./pages/NotFoundPage.tsx')).NotFoundPage }));
const PracticePage = lazy(async () => ({ default: (await import('./pages/PracticePage.tsx')).PracticePage }));
const RehearsePage = lazy(async () => ({ default: (await import('./pages/RehearsePage.tsx')).RehearsePage }));
const RunPage = lazy(async () => ({ default: (await import('./pages/RunPage.tsx')).RunPage }));
const RunsPage = lazy(async () => ({ default: (await import('./pages/RunsPage.tsx')).RunsPage }));
const SettingsPage = lazy(async () => ({ default: (await import('./pages/SettingsPage.tsx')).SettingsPage }));
const VersionsPage = lazy(async () => ({ default: (await import('./pages/VersionsPage.tsx')).VersionsPage }));
const WorkflowPage = lazy(async () => ({ default: (await import('./pages/WorkflowPage.tsx')).WorkflowPage }));
const WorkflowsPage = lazy(async () => ({ default: (await import('./pages/WorkflowsPage.tsx')).WorkflowsPage }));
const DuePage = lazy(async () => ({ default: (await import('./pages/DuePage.tsx')).DuePage }));
const UnsubscribedPage = lazy(async () => ({
  default: (await import('./pages/UnsubscribedPage.tsx')).UnsubscribedPage,
}));
const AnswerPage = lazy(async () => ({ default: (await import('./pages/AnswerPage.tsx')).AnswerPage }));
const WaitingPage = lazy(async () => ({ default: (await import('./pages/WaitingPage.tsx')).WaitingPage }));
const EditPage = lazy(async () => ({ default: (await import('./pages/EditPage.tsx')).EditPage }));

const WordsPage = lazy(async () => ({ default: (await import('./pages/WordsPage.tsx')).WordsPage }));

applyKeptTheme();

createRoot(document.getElementById('root') as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queryClient}>
      <BrowserRouter>
        <Routes>
          <Route element={<Shell />}>
            <Route index element={<TodayPage />} />
            <Route path="workflows" element={<WorkflowsPage />} />
            <Route path="workflows/new" element={<NewWorkflowPage />} />
            <Route path="workflows/:id" element={<WorkflowPage />}>
              <Route index element={<EditPage />} />
              <Route path="rehearse" element={<RehearsePage />} />
              <Route path="due" element={<DuePage />} />
              <Route path="runs" element={<RunsPage />} />
              <Route path="runs/:runId" element={<RunPage />} />
              <Route path="runs/:runId/undo" element={<UndoPage />} />
              <Route path="not-sent" element={<NotSentPage />} />
              <Route path="versions" element={<VersionsPage />} />
            </Route>
            <Route path="needs-you" element={<NeedsYouPage />} />
            <Route path="answer/:id/:step" element={<AnswerPage />} />
            <Route path="unsubscribed" element={<UnsubscribedPage />} />
            <Route path="waiting" element={<WaitingPage />} />
            <Route path="duplicates" element={<DuplicatesPage />} />
            <Route path="records" element={<RecordsPage />} />
            <Route path="reconcile" element={<ReconcilePage />} />
            <Route path="in-step" element={<InStepPage />} />
            <Route path="links" element={<LinksPage />} />
            <Route path="connections" element={<ConnectionsPage />} />
            <Route path="practice" element={<PracticePage />} />
            <Route path="settings" element={<SettingsPage />} />
            <Route path="words" element={<WordsPage />} />
            <Route path="*" element={<NotFoundPage />} />
          </Route>
        </Routes>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);

// Once the page stands: what is gone to next as a rule, so that opening a workflow waits for no code; and the
// faces of Japanese, Chinese and Korean letters, 124 of them, each fetched only when such a letter is shown.
addEventListener('load', () => {
  void import('./pages/WorkflowPage.tsx');
  void import('./pages/EditPage.tsx');
  void import('@fontsource-variable/noto-sans-jp');
});
