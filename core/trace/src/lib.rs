//! Scenes, import, materials, lights, acceleration and path tracing.
