import type { JsonRecord, Page } from '@golden/core';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { call } from '../../../api/client.ts';
import { Loading, ProblemMessage } from '../../../parts/Messages.tsx';
import { DocumentPreview } from '../DocumentPreview.tsx';

/** So long nothing is typed before the page is drawn anew, in milliseconds. */
const rest = 400;

interface PreviewProps {
  readonly name: string;
  readonly page: Page;
  /** Values to fill it with; examples where there are none. */
  readonly record: JsonRecord | undefined;
}

/** The page as it will be, drawn anew as it is changed. */
export function PagePreview({ name, page, record }: PreviewProps) {
  const now = JSON.stringify({ name, page, record });
  const [drawn, setDrawn] = useState(now);
  useEffect(() => {
    const timer = setTimeout(() => setDrawn(now), rest);
    return () => clearTimeout(timer);
  }, [now]);
  const preview = useQuery({
    queryKey: ['page-preview', drawn],
    queryFn: () => call('POST /api/document-templates/preview', { body: JSON.parse(drawn) }),
    placeholderData: keepPreviousData,
    retry: false,
    gcTime: 0,
  });
  return (
    <>
      {preview.error && <ProblemMessage>{preview.error.message}</ProblemMessage>}
      {preview.isPending && <Loading what="the page" />}
      {preview.data && !preview.error && <DocumentPreview document={preview.data} />}
    </>
  );
}
