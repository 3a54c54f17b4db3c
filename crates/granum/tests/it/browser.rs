//! A real browser without a window, where there is one.

use std::path::Path;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use headless_chrome::browser::{LaunchOptions, default_executable};
use headless_chrome::protocol::cdp::types::Event;
use headless_chrome::protocol::cdp::{Emulation, Network, Page};
use headless_chrome::{Browser, Tab};
use serde_json::Value;

/// A page that is open in a browser of its own.
pub struct Opened {
    pub tab: Arc<Tab>,
    /// What went wrong on the page, and what it asked for beside itself.
    troubles: Arc<Mutex<Vec<String>>>,
    _browser: Browser,
}

/// How a page is looked at.
#[derive(Clone, Copy)]
pub struct Look {
    pub width: u32,
    pub height: u32,
    pub dark: bool,
    pub scripts: bool,
}

pub const USUAL: Look = Look { width: 1280, height: 800, dark: false, scripts: true };

/// Opens a page; nothing where there is no browser, which is said.
pub fn opened(path: &Path, look: Look) -> Option<Opened> {
    let Ok(program) = default_executable() else {
        eprintln!("left out: no browser here to look at the page");
        return None;
    };
    let options = LaunchOptions {
        path: Some(program),
        // Whoever runs tests as root has no sandbox for it.
        sandbox: false,
        window_size: Some((look.width, look.height)),
        idle_browser_timeout: Duration::from_mins(2),
        ..LaunchOptions::default()
    };
    let browser = Browser::new(options).unwrap();
    let tab = browser.new_tab().unwrap();
    tab.set_default_timeout(Duration::from_mins(1));
    let troubles = Arc::new(Mutex::new(vec![]));
    let noted = Arc::clone(&troubles);
    let own = format!("file://{}", path.display());
    let page = own.clone();
    let listener = move |event: &Event| {
        let trouble = match event {
            Event::LogEntryAdded(event) => format!("log: {}", event.params.entry.text),
            Event::RuntimeExceptionThrown(event) => {
                format!("exception: {:?}", event.params.exception_details)
            }
            Event::NetworkRequestWillBeSent(event) if event.params.request.url != page => {
                format!("asks for {}", event.params.request.url)
            }
            _ => return,
        };
        noted.lock().unwrap().push(trouble);
    };
    tab.add_event_listener(Arc::new(listener)).unwrap();
    tab.enable_log().unwrap();
    tab.enable_runtime().unwrap();
    tab.call_method(Network::Enable {
        max_total_buffer_size: None,
        max_resource_buffer_size: None,
        max_post_data_size: None,
        report_direct_socket_traffic: None,
        enable_durable_messages: None,
    })
    .unwrap();
    let opened = Opened { tab, troubles, _browser: browser };
    opened.look(look);
    opened.tab.navigate_to(&own).unwrap().wait_until_navigated().unwrap();
    Some(opened)
}

impl Opened {
    /// Looks at it otherwise.
    pub fn look(&self, look: Look) {
        let Look { width, height, dark, scripts } = look;
        let metrics = Emulation::SetDeviceMetricsOverride {
            width,
            height,
            device_scale_factor: 1.0,
            mobile: false,
            scale: None,
            screen_width: None,
            screen_height: None,
            position_x: None,
            position_y: None,
            dont_set_visible_size: None,
            screen_orientation: None,
            viewport: None,
            display_feature: None,
            device_posture: None,
        };
        self.tab.call_method(metrics).unwrap();
        self.media("", dark);
        let off = Emulation::SetScriptExecutionDisabled { value: !scripts };
        self.tab.call_method(off).unwrap();
    }

    /// As it is on paper (`print`), or on a screen (nothing).
    pub fn media(&self, media: &str, dark: bool) {
        let scheme = if dark { "dark" } else { "light" };
        let features = vec![Emulation::MediaFeature {
            name: "prefers-color-scheme".into(),
            value: scheme.into(),
        }];
        let media =
            Emulation::SetEmulatedMedia { media: Some(media.into()), features: Some(features) };
        self.tab.call_method(media).unwrap();
    }

    /// What an expression of the page's language gives.
    pub fn gives(&self, expression: &str) -> Value {
        let found = self.tab.evaluate(&format!("JSON.stringify({expression})"), true).unwrap();
        let text = found.value.unwrap_or_else(|| panic!("{expression}: {:?}", found.description));
        serde_json::from_str(text.as_str().unwrap()).unwrap()
    }

    /// Asserts that nothing went wrong, and that nothing was asked for beside the page.
    #[track_caller]
    pub fn is_quiet(&self) {
        let troubles = self.troubles.lock().unwrap();
        assert!(troubles.is_empty(), "{troubles:#?}");
    }

    /// Puts a picture into the folder that `GRANUM_PICTURES` names, for whoever wants to look.
    pub fn picture(&self, name: &str) {
        let Some(folder) = std::env::var_os("GRANUM_PICTURES") else { return };
        let kind = Page::CaptureScreenshotFormatOption::Png;
        let bytes = self.tab.capture_screenshot(kind, None, None, true).unwrap();
        std::fs::write(Path::new(&folder).join(format!("{name}.png")), bytes).unwrap();
    }
}
