//! Sites in the real interface: the first one, a second by its folder, and back.

use brisk_margin_demo::tea_room;
use brisk_margin_e2e::application::Home;
use brisk_margin_e2e::browser::Browser;

#[tokio::test(flavor = "multi_thread")]
async fn a_site_is_added_by_its_folder_measured_switched_removed_and_restored() {
    let home = Home::without_sites().await;
    let application = home.serve();
    let folder = tempfile::tempdir().unwrap();
    // The tea room's five pictures; any will do.
    let media = folder.path().join("media");
    std::fs::create_dir_all(&media).unwrap();
    for name in tea_room::PICTURES {
        let file = brisk_margin_testing::pictures::gradient_jpeg(900, 600);
        std::fs::write(media.join(name), file).unwrap();
    }
    let tea_room = folder.path().join("tea-room");
    tea_room::write(&tea_room, &media).unwrap();

    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::open(1280, 800, downloads.path()).await;
    browser.client.goto(&format!("{}/", application.address)).await.unwrap();
    // An empty installation asks for one thing.
    let asks =
        "return document.querySelector('h1')?.textContent === 'Which site do you look after?'";
    browser.until("the first site is asked for", asks).await;
    fill(&browser, "Folder that holds its files", tea_room.to_str().unwrap()).await;
    browser.labelled("Add site and measure it").await.click().await.unwrap();
    let measured = "return location.pathname === '/tea-room/layouts'
        && document.querySelector('[data-testid=measured]')?.textContent.startsWith('2 of 2 pages')";
    browser.until("its pages are measured", measured).await;

    // A second one, called by hand.
    browser.client.goto(&format!("{}/", application.address)).await.unwrap();
    let listed = "return document.querySelectorAll('.sites-table tbody tr').length === 1
        && document.querySelector('.sites-table').textContent.includes('tea-room')";
    browser.until("the first one is listed", listed).await;
    browser.labelled("Add site").await.click().await.unwrap();
    fill(&browser, "Name", "Night Walks").await;
    let lacks = "return [...document.querySelectorAll('form button')].at(-1).title";
    assert_eq!(browser.run(lacks, vec![]).await, "Type its address or its folder first");
    let walks = folder.path().join("walks");
    std::fs::create_dir(&walks).unwrap();
    fill(&browser, "Folder that holds its files", walks.to_str().unwrap()).await;
    browser.labelled("Add site and measure it").await.click().await.unwrap();
    let there = "return location.pathname === '/night-walks/layouts'";
    browser.until("the new site is shown", there).await;

    // Its name is how one changes to the other.
    browser.click(".site-switch").await;
    browser.labelled("tea-room").await.click().await.unwrap();
    let pictures = "return location.pathname === '/tea-room/library'
        && document.querySelector('.tally')?.textContent.includes('1 picture')";
    browser.until("the pictures of its folder are there", pictures).await;

    // Removed, told what goes, and back again.
    browser.client.goto(&format!("{}/", application.address)).await.unwrap();
    browser.find("[aria-label='Remove tea-room']").await.click().await.unwrap();
    let told = "return document.querySelector('.ant-drawer-body')?.textContent
        .includes('1 picture and 2 measured pages go with it')";
    browser.until("what goes is told", told).await;
    // The sheet slides in.
    let still = "const button = [...document.querySelectorAll('.ant-drawer-body button')].at(-1);
        const [x, before] = [button.getBoundingClientRect().x, window.before];
        window.before = x; return x === before";
    browser.until("the sheet stands still", still).await;
    browser.labelled("Remove site").await.click().await.unwrap();
    let gone = "return document.querySelector('[aria-label=\"Removed sites\"]')?.textContent
        .includes('tea-room')";
    browser.until("it is among the removed ones", gone).await;
    browser.client.goto(&format!("{}/tea-room/library", application.address)).await.unwrap();
    let nothing = "return document.querySelector('h1')?.textContent
        === 'There is no site at this address'";
    browser.until("its address says so", nothing).await;
    browser.client.goto(&format!("{}/", application.address)).await.unwrap();
    browser.labelled("Restore").await.click().await.unwrap();
    let back = "return document.querySelectorAll('.sites-table tbody tr').length === 2";
    browser.until("it is back", back).await;
    browser.close().await;
}

/// Types `text` into the field with a label that begins so.
async fn fill(browser: &Browser, label: &str, text: &str) {
    let script = "const label = [...document.querySelectorAll('label')]
        .find((one) => one.textContent.startsWith(arguments[0]));
        return label ? '#' + CSS.escape(label.htmlFor) : null;";
    let field = browser.run(script, vec![label.into()]).await;
    let field = field.as_str().unwrap_or_else(|| panic!("no field is labelled {label}")).to_owned();
    browser.find(&field).await.send_keys(text).await.unwrap();
}
