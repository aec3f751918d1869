#pragma once
// Frames for the screen and for detectors: conversion to 8-bit R′G′B′ or luma at any size. Only for
// looking and measuring; nothing that is rendered to a file passes through here.

#include <array>
#include <cstdint>
#include <vector>

#include "core/frame/frame.h"
#include "core/frame/picture_memory.h"

namespace glenhaze {

/// Packed B, G, R, X bytes, rows tight (4·width bytes); the byte order of QImage::Format_RGB32 on
/// little-endian machines.
struct ScreenPicture {
  int width = 0;
  int height = 0;
  PictureBytes bgrx;
};

enum class ScreenScaling { Bilinear, Area };

/// Converts by the frame's own matrix and range (BT.601 for small, BT.709 for large pictures where the
/// frame does not say: common practice, no source). Not safe on one frame that is being written.
ScreenPicture toScreen(const Frame& frame, int width, int height,
                       ScreenScaling scaling = ScreenScaling::Area);

/// The luma plane as 8 bit, rows tight. G′ for frames whose planes are G, B, R.
std::vector<uint8_t> luma8(const Frame& frame);

/// A frame from packed R, G, B bytes (rows tight) by the matrix and range in `colour`.
Frame fromRgb(const std::vector<uint8_t>& rgb, int width, int height, PixelFormat format, ColourTags colour);

/// Screen values with the exposure lifted by so many stops in linear light, through the screen's own curve
/// (sRGB, IEC 61966-2-1): for viewing only. Each primary by itself, so that hues stay until one clips.
std::array<uint8_t, 256> liftedScreenValues(double stops);

}  // namespace glenhaze
