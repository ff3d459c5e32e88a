//! The borrowed codec, behind functions that keep its contracts.
#![allow(
    unsafe_code,
    reason = "the codec is written in C; all that is asked of it passes through this file"
)]

use std::mem::MaybeUninit;
use std::os::raw::c_int;
use std::ptr;
use std::slice;

use libwebp_sys as sys;

use crate::pixels::{Channels, Raster, Size};

pub(super) use sys::WebPConfig as Config;

/// The settings that everything begins with; `None` where the codec is of another version.
pub(super) fn config() -> Option<Config> {
    Config::new().ok()
}

/// A picture in the colours that the lossy coding knows (ITU-R BT.601, limited range), 8 bits a sample.
pub(super) struct Planes {
    pub size: Size,
    /// One sample a pixel.
    pub luma: Vec<u8>,
    /// One sample for two by two pixels, half the sides rounded up: blue and red.
    pub chroma: [Vec<u8>; 2],
    /// One sample a pixel, where some do not hide what is behind.
    pub alpha: Option<Vec<u8>>,
}

/// A file with loss.
pub(super) fn lossy(planes: &Planes, config: &Config) -> Option<Vec<u8>> {
    let mut picture = Picture::new(planes.size)?;
    let inner = &mut picture.0;
    if planes.alpha.is_some() {
        inner.colorspace = sys::WebPEncCSP::WEBP_YUV420A;
    }
    // SAFETY: the structure was initialised, and its size and colour space were set.
    if unsafe { sys::WebPPictureAlloc(inner) } == 0 {
        return None;
    }
    let width = planes.size.width() as usize;
    let half = width.div_ceil(2);
    let [blue, red] = &planes.chroma;
    // SAFETY: the codec has just reserved planes of the picture's size with these pitches, chroma of half
    // the sides rounded up, and alpha where that was asked for; nothing else knows of them.
    unsafe {
        copy(&planes.luma, width, inner.y, inner.y_stride);
        copy(blue, half, inner.u, inner.uv_stride);
        copy(red, half, inner.v, inner.uv_stride);
        if let Some(alpha) = &planes.alpha {
            copy(alpha, width, inner.a, inner.a_stride);
        }
    }
    picture.encoded(config)
}

/// The planes of a raster whose chroma is shared with care for coloured edges.
pub(super) fn careful(raster: &Raster) -> Option<Planes> {
    let mut picture = Picture::of(raster)?;
    let inner = &mut picture.0;
    // SAFETY: the picture is initialised and filled.
    (unsafe { sys::WebPPictureSharpARGBToYUVA(inner) } != 0).then_some(())?;
    let size = raster.size();
    let (width, height) = (size.width() as usize, size.height() as usize);
    let half = (width.div_ceil(2), height.div_ceil(2));
    // SAFETY: the codec has reserved planes of the picture's size with these pitches, chroma of half the
    // sides rounded up, and alpha where there is a pointer to it.
    unsafe {
        Some(Planes {
            size,
            luma: taken(inner.y, inner.y_stride, (width, height)),
            chroma: [inner.u, inner.v].map(|plane| taken(plane, inner.uv_stride, half)),
            alpha: (!inner.a.is_null()).then(|| taken(inner.a, inner.a_stride, (width, height))),
        })
    }
}

/// A file without loss, or nearly so, as the settings say.
pub(super) fn lossless(raster: &Raster, config: &Config) -> Option<Vec<u8>> {
    Picture::of(raster)?.encoded(config)
}

/// What a file of ours shows, by the codec's own decoder.
pub(super) fn shown(file: &[u8], size: Size) -> Option<Raster> {
    let mut found = MaybeUninit::<sys::WebPBitstreamFeatures>::uninit();
    let version = sys::WEBP_DECODER_ABI_VERSION as c_int;
    // SAFETY: the file is only read; where the codec says that it is well, it has set all that it found.
    let found = unsafe {
        let (data, length) = (file.as_ptr(), file.len());
        let status = sys::WebPGetFeaturesInternal(data, length, found.as_mut_ptr(), version);
        (status == sys::VP8StatusCode::VP8_STATUS_OK).then(|| found.assume_init())?
    };
    let channels = if found.has_alpha != 0 {
        Channels::Rgba
    } else {
        Channels::Rgb
    };
    let pitch = size.width() as usize * channels.count();
    let mut samples = vec![0; pitch * size.height() as usize];
    let pitch = c_int::try_from(pitch).ok()?;
    let (data, length, room) = (file.as_ptr(), file.len(), samples.len());
    let out = samples.as_mut_ptr();
    // SAFETY: the codec is told how much room there is, and refuses a picture that is larger.
    let done = unsafe {
        match channels {
            Channels::Rgb => sys::WebPDecodeRGBInto(data, length, out, room, pitch),
            Channels::Rgba => sys::WebPDecodeRGBAInto(data, length, out, room, pitch),
        }
    };
    (!done.is_null()).then_some(())?;
    Raster::new(size, channels, samples)
}

/// Copies rows to a plane of the codec's.
///
/// # Safety
/// The plane has room for as many rows of its pitch as there are, and the pitch is no less than the width.
unsafe fn copy(samples: &[u8], width: usize, plane: *mut u8, pitch: c_int) {
    for (y, row) in samples.chunks_exact(width).enumerate() {
        // SAFETY: as above.
        unsafe {
            let out = plane.offset(y as isize * pitch as isize);
            ptr::copy_nonoverlapping(row.as_ptr(), out, width);
        }
    }
}

/// Takes the rows of a plane of the codec's.
///
/// # Safety
/// The plane has as many rows of its pitch, and the pitch is no less than the width.
unsafe fn taken(plane: *const u8, pitch: c_int, (width, height): (usize, usize)) -> Vec<u8> {
    let mut samples = Vec::with_capacity(width * height);
    for y in 0..height {
        // SAFETY: as above.
        samples.extend_from_slice(unsafe {
            slice::from_raw_parts(plane.offset(y as isize * pitch as isize), width)
        });
    }
    samples
}

/// A picture of the codec's, with what it has reserved for it.
struct Picture(sys::WebPPicture);

impl Picture {
    fn new(size: Size) -> Option<Picture> {
        let mut inner = MaybeUninit::uninit();
        let version = sys::WEBP_ENCODER_ABI_VERSION as c_int;
        // SAFETY: where the codec says that it knows this version of the structure, it has set all of it.
        let mut inner = unsafe {
            let known = sys::WebPPictureInitInternal(inner.as_mut_ptr(), version) != 0;
            known.then(|| inner.assume_init())?
        };
        inner.width = c_int::try_from(size.width()).ok()?;
        inner.height = c_int::try_from(size.height()).ok()?;
        Some(Picture(inner))
    }

    /// With the samples of a raster, as they are.
    fn of(raster: &Raster) -> Option<Picture> {
        let mut picture = Picture::new(raster.size())?;
        let inner = &mut picture.0;
        inner.use_argb = 1;
        let pitch = raster.size().width() as usize * raster.channels().count();
        let (samples, pitch) = (raster.samples().as_ptr(), c_int::try_from(pitch).ok()?);
        // SAFETY: a raster has as many rows of this pitch as the picture is high, and they are only read.
        let imported = unsafe {
            match raster.channels() {
                Channels::Rgb => sys::WebPPictureImportRGB(inner, samples, pitch),
                Channels::Rgba => sys::WebPPictureImportRGBA(inner, samples, pitch),
            }
        };
        (imported != 0).then_some(picture)
    }

    fn encoded(&mut self, config: &Config) -> Option<Vec<u8>> {
        let mut writer = Writer::new();
        self.0.writer = Some(sys::WebPMemoryWrite);
        self.0.custom_ptr = ptr::from_mut(&mut writer.0).cast();
        // SAFETY: the settings are checked first; the picture is initialised and filled, and its writer
        // lives until the codec returns.
        let done = unsafe { sys::WebPEncode(config, &mut self.0) };
        (done != 0).then(|| writer.bytes())
    }
}

impl Drop for Picture {
    fn drop(&mut self) {
        // SAFETY: it was initialised, and frees nothing but what the codec reserved.
        unsafe { sys::WebPPictureFree(&mut self.0) }
    }
}

/// What the codec writes to.
struct Writer(sys::WebPMemoryWriter);

impl Writer {
    fn new() -> Writer {
        let mut inner = MaybeUninit::uninit();
        // SAFETY: the codec sets all of it.
        Writer(unsafe {
            sys::WebPMemoryWriterInit(inner.as_mut_ptr());
            inner.assume_init()
        })
    }

    fn bytes(&self) -> Vec<u8> {
        if self.0.mem.is_null() {
            return Vec::new();
        }
        // SAFETY: so many bytes were written there.
        unsafe { slice::from_raw_parts(self.0.mem, self.0.size) }.to_vec()
    }
}

impl Drop for Writer {
    fn drop(&mut self) {
        // SAFETY: it was initialised, and frees nothing but what the codec reserved.
        unsafe { sys::WebPMemoryWriterClear(&mut self.0) }
    }
}
