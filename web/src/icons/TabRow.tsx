import type { IconLooks } from "../api/client";

/** Rows of tabs as no browser in particular draws them, on light and on dark: this site's between others. */
export function TabRow({ looks, name }: { looks: IconLooks; name: string }) {
  const small = looks.small.find(({ size }) => size === 16);
  if (!small) return null;
  const rows = [
    { words: "Scaled down only", picture: small.plain },
    { words: "With helps", picture: small.icon },
  ];
  return (
    <div className="tab-rows">
      {rows.map(({ words, picture }) => (
        <figure key={words}>
          <figcaption className="soft">{words}</figcaption>
          {(["light", "dark"] as const).map((ground) => (
            <div className="tab-row" data-ground={ground} key={ground}>
              <span className="tab">
                <i className="other-icon" />
                <span className="tab-words">Weather on the fells</span>
              </span>
              <span className="tab" data-active>
                <img className="true-size" src={picture} width={16} height={16} alt={`In a tab, on ${ground}`} />
                <span className="tab-words">{name || "This site"}</span>
              </span>
              <span className="tab">
                <i className="other-icon" data-square />
                <span className="tab-words">Bus times</span>
              </span>
            </div>
          ))}
        </figure>
      ))}
    </div>
  );
}
