//! The options of `zemtak pack` and `zemtak watch`: every atlas key of the project file is one.

use super::values::{aspect, atlas_name, decibels, either, page_size, said, space, word};
use crate::commands::{Request, pack, plan, share, watch};
use clap::Args;
use std::path::PathBuf;
use std::time::Duration;
use zemtak_build::settings::{Also, Keys, MOST_MIP_LEVELS, OtherSize, PageFormat, PageNames, Pattern, Together};
use zemtak_build::{MOST_SHARES, PackRequest, Share, WatchOptions};
use zemtak_core::atlas::{Alpha, Filter, PixelKind};
use zemtak_core::codec::PngEffort;
use zemtak_core::geometry::LONGEST_SIDE;
use zemtak_core::geometry::Size;
use zemtak_core::layout::{Arrangement, Effort, Prefer, Shape};

#[derive(Debug, Args)]
pub(super) struct WatchArgs {
    /// Milliseconds without a change before a build starts
    #[arg(long, value_name = "MS", default_value_t = 100, value_parser = clap::value_parser!(u16).range(10..))]
    settle: u16,
    /// Also look at everything every two seconds, for folders whose changes the system does not report, such as network
    /// drives
    #[arg(long)]
    poll: bool,
    /// Wait until results are on the disk before they replace older files, as pack does
    #[arg(long)]
    sync: bool,
    /// Also show each build in a browser: serve the page of 'zemtak view' on this machine and print its address
    #[arg(long)]
    view: bool,
    #[command(flatten)]
    build: BuildArgs,
}

#[derive(Debug, Args)]
pub(super) struct PackArgs {
    /// Write nothing; exit with 1 if something is out of date, and say why
    #[arg(long, conflicts_with_all = ["fresh", "keep"])]
    check: bool,
    /// Write nothing; say what would be built
    #[arg(long, conflicts_with = "check")]
    dry_run: bool,
    /// Show how each atlas differs from the one it replaces, and what players download again
    #[arg(long, conflicts_with_all = ["check", "dry_run"])]
    diff: bool,
    /// Build only share K of N, such as 3/16, into the shared store, where a later plain pack finds it
    #[arg(long, value_name = "K/N", conflicts_with_all = ["check", "dry_run", "diff", "fresh", "keep", "why", "take_best", "strict", "timings"])]
    share: Option<Share>,
    /// Exit with 1 if there are warnings; the build stays
    #[arg(long)]
    strict: bool,
    /// Rebuild everything, ignoring what earlier builds have stored
    #[arg(long)]
    fresh: bool,
    /// Do not wait until results are on the disk: faster, but a power failure may leave incomplete files
    #[arg(long)]
    no_sync: bool,
    /// Replace files in the output folder even if zemtak did not write them; never sources
    #[arg(long)]
    force: bool,
    #[command(flatten)]
    build: BuildArgs,
}

#[derive(Debug, Args)]
pub(super) struct PlanArgs {
    /// How many shares to split the build into, as for pack --share
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=i64::from(MOST_SHARES)))]
    shares: u32,
    #[command(flatten)]
    atlas: AtlasArgs,
}

#[derive(Debug, Args)]
struct BuildArgs {
    /// Keep every box that can stay where it is, so that updates for players stay small
    #[arg(long)]
    keep: bool,
    /// Explain the layout: how small it can get at all, and what other options would bring; searches up to four more
    /// layouts
    #[arg(long)]
    why: bool,
    /// On Ctrl-C during the layout search, continue with the best layout so far
    #[arg(long)]
    take_best: bool,
    /// Report how long each stage took, and where its results came from
    #[arg(long)]
    timings: bool,
    #[command(flatten)]
    atlas: AtlasArgs,
}

#[derive(Debug, Args)]
struct AtlasArgs {
    /// Folders and image files, or - for a list on standard input [default: the atlases of the project file]
    #[arg(value_name = "PATH")]
    paths: Vec<PathBuf>,
    /// Output folder for descriptors and pages [default: the project file's, else build]
    #[arg(short, long, value_name = "DIR")]
    out: Option<PathBuf>,
    /// The atlas's name: a-z 0-9 _ - [default: that of the folder, if there is one, else "atlas"]; in a project, build
    /// only this atlas
    #[arg(long, value_parser = atlas_name)]
    name: Option<String>,
    /// Folder that sprite names are relative to [default: the folder, if there is one, else the common parent]
    #[arg(long, value_name = "DIR")]
    root: Option<PathBuf>,
    #[command(flatten)]
    layout: LayoutArgs,
    #[command(flatten)]
    page: PageArgs,
    #[command(flatten)]
    sprite: SpriteArgs,
    #[command(flatten)]
    file: FileArgs,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Layout")]
struct LayoutArgs {
    /// How boxes are arranged [default: dense]
    #[arg(long, value_name = "HOW", value_parser = word::<Arrangement>())]
    layout: Option<Arrangement>,
    /// Layout search effort: up to about 0.2, 2 or 15 seconds for a page of 1,000 sprites [default: quick]
    #[arg(long, value_name = "WORK", value_parser = word::<Effort>())]
    effort: Option<Effort>,
    /// What must share a page: none, or clip for all steps of a clip [default: none]
    #[arg(long, value_name = "WHAT", value_parser = word::<Together>(), hide_possible_values = true)]
    together: Option<Together>,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Pages")]
struct PageArgs {
    /// The largest page [default: 2048x2048]
    #[arg(long, value_name = "WxH", value_parser = page_size)]
    page_max: Option<Size>,
    /// Which widths and heights a page may have [default: pow2]
    #[arg(long, value_name = "SHAPE", value_parser = word::<Shape>(), overrides_with = "page_size")]
    page_shape: Option<Shape>,
    /// Page sides are multiples of this [default: 1]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=i64::from(LONGEST_SIDE)))]
    page_step: Option<u32>,
    /// The longer side of a page is at most this many times the shorter [default: 2]
    #[arg(long, value_name = "RATIO", value_parser = aspect)]
    page_aspect: Option<f64>,
    /// Prefer the fewest pages, or one page more if that saves a tenth of the bytes [default: pages]
    #[arg(long, value_name = "WHAT", value_parser = word::<Prefer>(), hide_possible_values = true)]
    page_prefer: Option<Prefer>,
    /// Exact size of every page
    #[arg(long, value_name = "WxH", value_parser = page_size)]
    page_size: Option<Size>,
    /// Make all pages the same size, so that one texture array holds them
    #[arg(long, overrides_with = "no_same_size_pages")]
    same_size_pages: bool,
    /// Make each page as small as it can be (default)
    #[arg(long)]
    no_same_size_pages: bool,
    /// Exact number of pages
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..))]
    page_count: Option<u16>,
    /// Empty pixels between neighbouring cells [default: 2]
    #[arg(long, value_name = "PIXELS", value_parser = space())]
    gutter: Option<u32>,
    /// Empty pixels along a page's edge [default: 0]
    #[arg(long, value_name = "PIXELS", value_parser = space())]
    margin: Option<u32>,
    /// How many times to repeat the outermost pixels of a box outwards [default: 1]
    #[arg(long, value_name = "PIXELS", value_parser = space())]
    extrude: Option<u32>,
    /// Leave room for this many mip levels: wider rings, aligned cells and page sides [default: 0]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(0..=i64::from(MOST_MIP_LEVELS)))]
    mip_levels: Option<u32>,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Sprites")]
struct SpriteArgs {
    /// Take only images whose name, or path below the root, matches this glob; repeatable
    #[arg(long, value_name = "GLOB")]
    take: Vec<Pattern>,
    /// Leave out images whose name, or path below the root, matches this glob; repeatable
    #[arg(long, value_name = "GLOB")]
    leave: Vec<Pattern>,
    /// Store sprites turned by 90 degrees where that saves room
    #[arg(long, overrides_with = "no_turn")]
    turn: bool,
    /// Store all sprites upright (default)
    #[arg(long)]
    no_turn: bool,
    /// Store the visible box only (default)
    #[arg(long, overrides_with = "no_trim")]
    trim: bool,
    /// Store the whole canvas
    #[arg(long)]
    no_trim: bool,
    /// Alpha from which a pixel is visible, 1 to 255 [default: 1]
    #[arg(long, value_name = "ALPHA", value_parser = clap::value_parser!(u8).range(1..))]
    visible_alpha: Option<u8>,
    /// Sprites with equal pixels share one box (default)
    #[arg(long, overrides_with = "no_share_twins")]
    share_twins: bool,
    /// Every sprite has a box of its own
    #[arg(long)]
    no_share_twins: bool,
    /// Spread edge colours under transparent pixels (default with --filter linear)
    #[arg(long, overrides_with = "no_fringe")]
    fringe: bool,
    /// Write colour 0 under transparent pixels (default with --filter nearest)
    #[arg(long)]
    no_fringe: bool,
    /// Whether colour is straight or premultiplied by alpha [default: straight]
    #[arg(long, value_name = "KIND", value_parser = word::<Alpha>(), hide_possible_values = true)]
    alpha: Option<Alpha>,
    /// How the game should sample: nearest or linear [default: nearest]
    #[arg(long, value_name = "HOW", value_parser = word::<Filter>(), hide_possible_values = true)]
    filter: Option<Filter>,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "Files")]
struct FileArgs {
    /// The format of page files: png, qoi, webp (lossless), raw or ktx2 [default: png]
    #[arg(long, value_name = "FORMAT", value_parser = word::<PageFormat>(), hide_possible_values = true)]
    pages_as: Option<PageFormat>,
    /// PNG compression effort: fast, balanced or small [default: balanced]
    #[arg(long, value_name = "EFFORT", value_parser = word::<PngEffort>(), hide_possible_values = true)]
    png: Option<PngEffort>,
    /// Pixel format of KTX2 pages: rgba8, or block-compressed bc1, bc3 or bc7 [default: rgba8]
    #[arg(long, value_name = "KIND", value_parser = word::<PixelKind>(), hide_possible_values = true)]
    pixels: Option<PixelKind>,
    /// For each KTX2 page, use the smallest pixel format in which every sprite reaches this PSNR, such as 40
    #[arg(long, value_name = "DB", value_parser = decibels)]
    least_psnr: Option<f64>,
    /// Compress the levels of KTX2 pages with Zstandard
    #[arg(long, overrides_with = "no_zstd")]
    zstd: bool,
    /// Store the levels of KTX2 pages uncompressed (default)
    #[arg(long)]
    no_zstd: bool,
    /// Mark KTX2 pages as UNORM instead of sRGB, for games that blend without converting to linear light
    #[arg(long, overrides_with = "no_unorm")]
    unorm: bool,
    /// Mark KTX2 pages as sRGB (default)
    #[arg(long)]
    no_unorm: bool,
    /// How page files are named: plain, or hashed by content [default: plain]
    #[arg(long, value_name = "HOW", value_parser = word::<PageNames>(), hide_possible_values = true)]
    names: Option<PageNames>,
    /// Also write the descriptor as csv, rust, c, c-source or template:FILE; repeatable
    #[arg(long, value_name = "FORM")]
    also: Vec<Also>,
    /// Build the atlas at another size too, such as -half=0.5 or -double=2:pixel; repeatable
    #[arg(long, value_name = "SUFFIX=FACTOR", allow_hyphen_values = true)]
    sizes: Vec<OtherSize>,
}

impl WatchArgs {
    pub(super) fn into_request(self, project: Option<PathBuf>) -> watch::WatchRequest {
        let mut pack = self.build.into_request(project);
        pack.pack.tell_changes = true;
        // The next build makes up for it.
        pack.pack.unsynced = !self.sync;
        let fast = pack.pack.keys.png.is_none();
        if fast {
            pack.pack.keys.png = Some(PngEffort::Fast);
        }
        let mut options = WatchOptions::default();
        (options.settle, options.poll) = (Duration::from_millis(self.settle.into()), self.poll);
        watch::WatchRequest { options, pack, fast, view: self.view }
    }
}

impl PackArgs {
    pub(super) fn into_request(self, project: Option<PathBuf>) -> Request {
        if let Some(share) = self.share {
            let pack = self.build.atlas.into_request(project);
            return Request::Share(Box::new(share::ShareRequest { pack, share }));
        }
        let mut request = self.build.into_request(project);
        (request.pack.fresh, request.pack.force) = (self.fresh, self.force);
        request.pack.unsynced = self.no_sync;
        (request.dry_run, request.strict, request.diff) = (self.dry_run, self.strict, self.diff);
        request.pack.check = self.check || self.dry_run;
        request.pack.tell_changes = request.pack.check;
        Request::Pack(Box::new(request))
    }
}

impl BuildArgs {
    fn into_request(self, project: Option<PathBuf>) -> pack::PackCommand {
        let mut pack = self.atlas.into_request(project);
        (pack.explain, pack.keep) = (self.why, self.keep);
        let (take_best, timings) = (self.take_best, self.timings);
        pack::PackCommand { pack, take_best, timings, ..pack::PackCommand::default() }
    }
}

impl PlanArgs {
    pub(super) fn into_request(self, project: Option<PathBuf>) -> plan::PlanRequest {
        plan::PlanRequest { pack: self.atlas.into_request(project), shares: self.shares }
    }
}

impl AtlasArgs {
    fn into_request(self, project: Option<PathBuf>) -> PackRequest {
        let mut keys = Keys::default();
        self.layout.apply(&mut keys);
        self.page.apply(&mut keys);
        self.sprite.apply(&mut keys);
        self.file.apply(&mut keys);
        if self.paths.is_empty() {
            keys.root.clone_from(&self.root);
        }
        let mut pack = PackRequest::of_paths(self.paths).keys(keys);
        (pack.project, pack.root, pack.out, pack.name) = (project, self.root, self.out, self.name);
        pack.store_from_environment = true;
        pack
    }
}

impl LayoutArgs {
    fn apply(&self, keys: &mut Keys) {
        (keys.layout, keys.effort, keys.together) = (self.layout, self.effort, self.together);
    }
}

impl PageArgs {
    fn apply(&self, keys: &mut Keys) {
        keys.page_max = self.page_max;
        keys.page_shape = self.page_shape;
        keys.page_step = self.page_step;
        keys.page_aspect = self.page_aspect;
        keys.page_prefer = self.page_prefer;
        keys.page_size = self.page_size;
        keys.page_count = self.page_count;
        keys.page_same_size = either(self.same_size_pages, self.no_same_size_pages);
        keys.gutter = self.gutter;
        keys.margin = self.margin;
        keys.extrude = self.extrude;
        keys.mip_levels = self.mip_levels;
    }
}

impl SpriteArgs {
    fn apply(self, keys: &mut Keys) {
        keys.take = said(self.take);
        keys.leave = said(self.leave);
        keys.turn = either(self.turn, self.no_turn);
        keys.trim = either(self.trim, self.no_trim);
        keys.visible_alpha = self.visible_alpha;
        keys.share_twins = either(self.share_twins, self.no_share_twins);
        keys.fringe = either(self.fringe, self.no_fringe);
        keys.alpha = self.alpha;
        keys.filter = self.filter;
    }
}

impl FileArgs {
    fn apply(self, keys: &mut Keys) {
        keys.pages_as = self.pages_as;
        keys.png = self.png;
        (keys.pixels, keys.least_psnr) = (self.pixels, self.least_psnr);
        (keys.zstd, keys.unorm) = (either(self.zstd, self.no_zstd), either(self.unorm, self.no_unorm));
        keys.names = self.names;
        keys.also = said(self.also);
        keys.sizes = said(self.sizes);
    }
}
