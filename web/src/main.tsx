import '@fontsource-variable/hanken-grotesk';
import '@fontsource-variable/jetbrains-mono';
import '@fontsource-variable/newsreader';
import '@fontsource-variable/noto-sans-jp';
import '@fontsource-variable/newsreader/standard-italic.css';
import './styles.css';
import { QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter, Route, Routes } from 'react-router';
import { queryClient } from './api/queries.ts';
import { ConnectionsPage } from './pages/ConnectionsPage.tsx';
import { NewWorkflowPage } from './pages/NewWorkflowPage.tsx';
import { PracticePage } from './pages/PracticePage.tsx';
import { RehearsePage } from './pages/RehearsePage.tsx';
import { RunPage } from './pages/RunPage.tsx';
import { RunsPage } from './pages/RunsPage.tsx';
import { SettingsPage } from './pages/SettingsPage.tsx';
import { TodayPage } from './pages/TodayPage.tsx';
import { VersionsPage } from './pages/VersionsPage.tsx';
import { WorkflowPage } from './pages/WorkflowPage.tsx';
import { WorkflowsPage } from './pages/WorkflowsPage.tsx';
import { WritePage } from './pages/WritePage.tsx';
import { Shell } from './parts/Shell.tsx';
import { applyKeptTheme } from './parts/theme.ts';

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
              <Route index element={<WritePage />} />
              <Route path="rehearse" element={<RehearsePage />} />
              <Route path="runs" element={<RunsPage />} />
              <Route path="runs/:runId" element={<RunPage />} />
              <Route path="versions" element={<VersionsPage />} />
            </Route>
            <Route path="connections" element={<ConnectionsPage />} />
            <Route path="practice" element={<PracticePage />} />
            <Route path="settings" element={<SettingsPage />} />
          </Route>
        </Routes>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
