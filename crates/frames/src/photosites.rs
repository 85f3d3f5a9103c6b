//! Light of the photosites of a sensor, before demosaicing.

use jade_pixels::mosaic::{Mosaic, Sensor};

/// Light of the codes of a row from a photosite on: 0 is black, 1 a full photosite.
pub fn sensor_light(sensor: &Sensor, [x, y]: [u32; 2], codes: &[u16], light: &mut [f32]) {
    let scale = [0, 1].map(|dx| {
        let black = sensor.black[Sensor::place(x + dx, y)];
        (black, 1.0 / (sensor.white - black).max(1.0))
    });
    for (i, (light, code)) in light.iter_mut().zip(codes).enumerate() {
        let (black, factor) = scale[i % 2];
        *light = (f32::from(*code) - black) * factor;
    }
}

/// Light of some whole rows of a mosaic, uncalibrated.
pub fn uncalibrated_rows(mosaic: &Mosaic, rows: std::ops::Range<u32>, light: &mut [f32]) {
    let width = mosaic.width as usize;
    for (y, light) in rows.zip(light.chunks_exact_mut(width)) {
        let codes = &mosaic.codes[y as usize * width..(y as usize + 1) * width];
        sensor_light(&mosaic.sensor, [0, y], codes, light);
    }
}
