import type { CSSProperties } from "react";
import type { IconDesign, IconLooks } from "../api/client";

/** Where icons are shown, drawn as no product in particular draws them. */
export function PlacesView({ design, looks }: { design: IconDesign; looks: IconLooks }) {
  const of = (target: string) => looks.files.find((file) => file.target === target)?.picture;
  const tab = looks.small.find(({ size }) => size === 32)?.icon;
  const small = looks.small.find(({ size }) => size === 16)?.icon;
  const name = design.name || "This site";
  const masks = [
    { words: "square", mask: "square" },
    { words: "squircle", mask: "squircle" },
    { words: "round", mask: "round" },
  ];
  return (
    <div className="icon-places">
      <Place words="Bookmarks">
        <ul className="bookmarks">
          <li>
            <img src={small} width={16} height={16} alt="" className="true-size" /> {name}
          </li>
          <li>
            <i className="other-icon" /> Weather on the fells
          </li>
        </ul>
      </Place>
      <Place words="Search result">
        <div className="search-result">
          <img src={of("tab") ?? tab} width={26} height={26} alt="" />
          <div>
            <span>{name}</span>
            <span className="soft">tarnlight.example › visit</span>
          </div>
          <b>{design.line || "Plan a visit"}</b>
        </div>
      </Place>
      <Place words="Home screen, as it is sent">
        <HomeScreen>
          <App picture={of("touch")} mask="squircle" name={name} />
        </HomeScreen>
      </Place>
      <Place words="Launchers that cut icons">
        <HomeScreen>
          {masks.map(({ words, mask }) => (
            <App key={words} picture={of("maskable")} mask={mask} name={words} />
          ))}
        </HomeScreen>
      </Place>
      <Place words="Launchers that tint icons">
        <HomeScreen>
          <span className="app">
            <i
              className="tinted"
              style={{ "--mask": `url("${of("monochrome") ?? ""}")` } as CSSProperties}
              role="img"
              aria-label="Tinted"
            />
            {name}
          </span>
        </HomeScreen>
      </Place>
      <Place words="Shared link">
        <div className="shared-link">
          <img src={of("sharing")} alt={`What is shown of ${name}`} />
          <b>{name}</b>
          <span className="soft">{design.line}</span>
        </div>
      </Place>
    </div>
  );
}

function Place({ words, children }: { words: string; children: React.ReactNode }) {
  return (
    <figure className="icon-place">
      <figcaption>{words}</figcaption>
      {children}
    </figure>
  );
}

function HomeScreen({ children }: { children: React.ReactNode }) {
  return <div className="home-screen">{children}</div>;
}

function App({ picture, mask, name }: { picture: string | undefined; mask: string; name: string }) {
  return (
    <span className="app">
      <img src={picture} width={60} height={60} data-mask={mask} alt="" />
      <span>{name}</span>
    </span>
  );
}
