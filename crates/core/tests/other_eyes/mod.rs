//! Finished files through decoders that are not ours.

use std::io::Cursor;

use kiln_core::encode::Format;

/// Width, height and RGB(A) samples by a decoder that is not ours.
pub fn read_back(format: Format, file: &[u8]) -> (u32, u32, usize, Vec<u8>) {
    match format {
        Format::Jpeg => {
            let mut decoder = jpeg_decoder::Decoder::new(file);
            let samples = decoder.decode().expect("a sound JPEG");
            let info = decoder.info().expect("a header");
            (info.width.into(), info.height.into(), 3, samples)
        }
        Format::WebP => {
            let mut decoder =
                image_webp::WebPDecoder::new(Cursor::new(file)).expect("a sound WebP");
            let (width, height) = decoder.dimensions();
            let channels = if decoder.has_alpha() { 4 } else { 3 };
            let mut samples = vec![0; decoder.output_buffer_size().expect("small")];
            decoder.read_image(&mut samples).expect("a sound WebP");
            (width, height, channels, samples)
        }
        Format::Png => {
            let mut decoder = png::Decoder::new(Cursor::new(file));
            decoder.set_transformations(png::Transformations::ALPHA);
            let mut reader = decoder.read_info().expect("a sound PNG");
            let mut samples = vec![0; reader.output_buffer_size().expect("small")];
            let info = reader.next_frame(&mut samples).expect("a sound PNG");
            if info.color_type == png::ColorType::GrayscaleAlpha {
                let pixels = samples.chunks_exact(2);
                samples = pixels.flat_map(|p| [p[0], p[0], p[0], p[1]]).collect();
            }
            (info.width, info.height, 4, samples)
        }
        Format::Svg => {
            let text = str::from_utf8(file).expect("a text");
            let tree = resvg::usvg::Tree::from_str(text, &Default::default()).expect("a drawing");
            let size = tree.size();
            (size.width() as u32, size.height() as u32, 4, Vec::new())
        }
        Format::Avif => {
            let avif = avif_parse::read_avif(&mut &file[..]).expect("a sound AVIF");
            let about = avif.primary_item_metadata().expect("an AV1 header");
            let channels = if avif.alpha_item.is_some() { 4 } else { 3 };
            (
                about.max_frame_width.get(),
                about.max_frame_height.get(),
                channels,
                Vec::new(),
            )
        }
    }
}
