import type { ButtonHTMLAttributes, ReactNode } from 'react';

const looks = {
  main: 'bg-pine text-pine-on border-pine hover:opacity-90',
  plain: 'bg-raised text-ink-1 border-line-1 hover:bg-pine-faint',
  quiet: 'bg-transparent text-pine border-transparent hover:bg-pine-faint',
  danger: 'bg-raised text-brick border-line-1 hover:bg-brick-tint',
};

interface ButtonProps extends ButtonHTMLAttributes<HTMLButtonElement> {
  readonly look?: keyof typeof looks;
  readonly icon?: ReactNode;
}

/** A button in one of four looks. */
export function Button({ look = 'plain', icon, children, className = '', ...rest }: ButtonProps) {
  return (
    <button
      type="button"
      className={`inline-flex h-[30px] shrink-0 items-center gap-1.5 whitespace-nowrap rounded-md border px-2.5 font-medium disabled:opacity-50 ${looks[look]} ${className}`}
      {...rest}
    >
      {icon}
      {children}
    </button>
  );
}
