//! The core against scenes whose truth is known; one program, as linking many takes longer than running them.

mod finish;
mod focus;
mod joined;
mod lens;
mod methods;
mod prepare;
mod regions;
mod scene;
mod shoot;
mod skies;
mod skyline;
mod sorting;
mod soundness;
mod stack;
mod streamed;
