//! From a frame's samples to linear light.

use crate::colour::Mix;
use crate::light_codes;
use jade_pixels::colour::Encoding;

/// The conversion from a frame's samples to light.
pub struct Decoding {
    codes: Codes,
    mix: Option<Mix>,
}

#[derive(Clone)]
enum Codes {
    /// A developed picture, in its own encoding.
    Encoded(Encoding),
    /// Prepared light, as stored.
    Stored,
}

impl Decoding {
    /// For codes, or floating-point light, of a developed picture.
    pub fn encoded(encoding: &Encoding, mix: Option<Mix>) -> Self {
        Self { codes: Codes::Encoded(encoding.clone()), mix }
    }

    /// For stored light.
    pub fn stored(mix: Option<Mix>) -> Self {
        Self { codes: Codes::Stored, mix }
    }

    /// Light of interleaved codes, into three planes.
    pub fn pixels(&self, codes: &[u16], mut planes: [&mut [f32]; 3]) {
        match &self.codes {
            Codes::Encoded(encoding) => {
                encoding.decode_pixels(codes, planes.each_mut().map(|plane| &mut **plane));
            }
            Codes::Stored => {
                let [red, green, blue] = planes.each_mut();
                let out = red.iter_mut().zip(green.iter_mut()).zip(blue.iter_mut());
                for (((r, g), b), pixel) in out.zip(codes.as_chunks::<3>().0) {
                    [*r, *g, *b] = pixel.map(light);
                }
            }
        }
        self.mix_planes(planes);
    }

    /// Light of interleaved codes, pixel by pixel.
    pub fn light(&self, codes: &[u16]) -> Vec<[f32; 3]> {
        let pixel = self.pixel();
        codes.as_chunks::<3>().0.iter().map(|codes| pixel(*codes)).collect()
    }

    /// Mixes the colours of interleaved light that was decoded without mixing.
    pub fn mix_pixels(&self, light: &mut [[f32; 3]]) {
        let Some(mix) = &self.mix else { return };
        light.iter_mut().for_each(|light| *light = mix.pixel(*light));
    }

    /// Light of interleaved floating-point samples, into three planes.
    pub fn apart(&self, samples: &[f32], [red, green, blue]: [&mut [f32]; 3]) {
        let planes = red.iter_mut().zip(green.iter_mut()).zip(blue.iter_mut());
        for (((r, g), b), pixel) in planes.zip(samples.as_chunks::<3>().0) {
            [*r, *g, *b] = *pixel;
        }
        self.mix_planes([red, green, blue]);
    }

    /// The same decoding without mixing colours.
    pub fn unmixed(&self) -> Self {
        Self { codes: self.codes.clone(), mix: None }
    }

    /// Mixes the colours of light that was decoded without mixing.
    pub fn mix_planes(&self, [red, green, blue]: [&mut [f32]; 3]) {
        let Some(mix) = &self.mix else { return };
        for ((r, g), b) in red.iter_mut().zip(green).zip(blue) {
            [*r, *g, *b] = mix.pixel([*r, *g, *b]);
        }
    }

    /// Light of every code, by channel, before colours are mixed.
    pub fn curves(&self) -> [&[f32]; 3] {
        match &self.codes {
            Codes::Encoded(encoding) => [0, 1, 2].map(|c| encoding.curve(c)),
            Codes::Stored => [light_codes::LIGHT.as_slice(); 3],
        }
    }

    /// The mean of each pixel's three colours.
    pub fn means(&self, codes: &[u16], means: &mut [f32]) {
        match (&self.codes, &self.mix) {
            (Codes::Encoded(encoding), None) => encoding.decode_means(codes, means),
            _ => {
                let pixel = self.pixel();
                for (mean, codes) in means.iter_mut().zip(codes.as_chunks::<3>().0) {
                    *mean = middle(pixel(*codes));
                }
            }
        }
    }

    /// Light of one pixel's codes.
    pub fn pixel(&self) -> impl Fn([u16; 3]) -> [f32; 3] {
        let curves = self.curves();
        move |codes| self.mixed([0, 1, 2].map(|c| curves[c][codes[c] as usize]))
    }

    /// Light of one pixel's floating-point samples.
    pub fn mixed(&self, light: [f32; 3]) -> [f32; 3] {
        self.mix.as_ref().map_or(light, |mix| mix.pixel(light))
    }
}

/// The mean of a pixel's colours.
pub fn middle([r, g, b]: [f32; 3]) -> f32 {
    (r + g + b) * (1.0 / 3.0)
}

fn light(code: u16) -> f32 {
    light_codes::LIGHT[code as usize]
}
