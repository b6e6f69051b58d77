import { autoUpdate, flip, offset, shift, useFloating } from '@floating-ui/react-dom';
import { useEffect, useRef, useState } from 'react';
import { createPortal } from 'react-dom';

/** How long the pointer rests before a hint shows, in milliseconds. */
const rest = 350;

interface Shown {
  readonly element: HTMLElement;
  readonly text: string;
}

const hinted = (target: EventTarget | null): HTMLElement | undefined =>
  (target instanceof Element && target.closest<HTMLElement>('[data-hint]')) || undefined;

/** How far it stays from the edges of the window, in pixels. */
const edge = { padding: 8 };

/** The text of a hint; none where all of it can be read already. */
function textOf(element: HTMLElement): string | undefined {
  const text = element.dataset['hint']?.trim();
  if (!text) return undefined;
  const isCut = element.scrollWidth > element.clientWidth || element.querySelector('.truncate') !== null;
  return text === element.textContent?.trim() && !isCut ? undefined : text;
}

/**
 * The hints of the whole page: whatever carries `data-hint` says it when the pointer comes to rest on it, when the
 * keyboard comes to it, and when a finger taps it. Escape puts it away, and nothing else then (WCAG 2.2, 1.4.13).
 * It takes part in nothing that dialogs do with the focus: a dialog keeps the Tab key while a hint shows.
 */
export function HintLayer() {
  const [shown, setShown] = useState<Shown>();
  const current = useRef<HTMLElement>(undefined);
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    let place: string | undefined;
    const note = (event: PointerEvent): void => {
      place = `${event.clientX} ${event.clientY}`;
    };
    const hide = (): void => {
      clearTimeout(timer);
      current.current?.removeAttribute('aria-describedby');
      current.current = undefined;
      setShown(undefined);
    };
    const show = (element: HTMLElement): void => {
      const text = textOf(element);
      if (!text || !element.isConnected) return;
      hide();
      current.current = element;
      element.setAttribute('aria-describedby', 'hint');
      setShown({ element, text });
    };
    const onOver = (event: PointerEvent): void => {
      if (event.pointerType !== 'mouse') return;
      // Where the pointer stayed and the page moved beneath it, nobody pointed at anything: a hint that came then
      // would take the next Escape from whoever wants to close what is open.
      const before = place;
      note(event);
      const element = hinted(event.target);
      if (element === current.current) return;
      hide();
      if (element && place !== before) timer = setTimeout(() => show(element), rest);
    };
    const onFocus = (event: FocusEvent): void => {
      const element = hinted(event.target);
      // A tap has shown it already, and is what brings the focus.
      if (element !== undefined && element === current.current) return;
      if (element && event.target instanceof Element && event.target.matches(':focus-visible')) show(element);
      else hide();
    };
    const onTap = (event: PointerEvent): void => {
      if (event.pointerType === 'mouse') {
        note(event);
        hide();
        return;
      }
      const element = hinted(event.target);
      if (element && element !== current.current) show(element);
      else hide();
    };
    const onKey = (event: KeyboardEvent): void => {
      if (event.key !== 'Escape' || !current.current) return;
      event.stopPropagation();
      hide();
    };
    document.addEventListener('pointerover', onOver);
    document.addEventListener('pointermove', note);
    document.addEventListener('focusin', onFocus);
    document.addEventListener('focusout', hide);
    document.addEventListener('pointerdown', onTap);
    // Before any dialog hears of the key.
    window.addEventListener('keydown', onKey, true);
    document.addEventListener('scroll', hide, true);
    return () => {
      hide();
      document.removeEventListener('pointerover', onOver);
      document.removeEventListener('pointermove', note);
      document.removeEventListener('focusin', onFocus);
      document.removeEventListener('focusout', hide);
      document.removeEventListener('pointerdown', onTap);
      window.removeEventListener('keydown', onKey, true);
      document.removeEventListener('scroll', hide, true);
    };
  }, []);
  const { refs, floatingStyles } = useFloating({
    elements: { reference: shown?.element ?? null },
    placement: 'bottom',
    strategy: 'fixed',
    middleware: [offset(4), flip(edge), shift(edge)],
    whileElementsMounted: autoUpdate,
  });
  if (!shown) return null;
  return createPortal(
    <div
      ref={refs.setFloating}
      id="hint"
      role="tooltip"
      style={floatingStyles}
      className="pointer-events-none z-[60] w-max max-w-[420px] rounded-md border border-line-1 bg-raised px-2.5 py-1.5 text-sm break-words whitespace-pre-wrap text-ink-1 shadow-sm"
    >
      {shown.text}
    </div>,
    document.body,
  );
}
