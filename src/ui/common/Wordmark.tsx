/** The product's name with its sign: a step that rises to a held point. */
export function Wordmark({ small = false }: { small?: boolean }) {
  const size = small ? 20 : 26;
  return (
    <span className="wordmark" style={{ fontSize: small ? 15 : 20 }}>
      <svg width={size} height={size} viewBox="0 0 32 32" aria-hidden="true">
        <path
          d="M3 24h8l6-16h9"
          fill="none"
          stroke="var(--working)"
          strokeWidth="3"
          strokeLinecap="round"
          strokeLinejoin="round"
        />
        <circle cx="27" cy="8" r="4" fill="var(--working)" />
      </svg>
      Plextan
    </span>
  );
}
