#pragma once
// Pictures as people have them beside their meshes, as pictures that glTF can hold.

#include "image/image.h"

namespace thicket {

/// PNG and JPEG as they stand; TGA, BMP, PSD (as it looks whole), TIFF and WebP as PNG of the same pixels, eight bits a
/// channel. What it is is told by its bytes, never by its name.
/// ERRORS     BadInput (none of these, or damaged), TooLarge (more than 16,384 a side; refused before decoding;
///            or more than memory holds).
/// COST       nothing for PNG and JPEG; else some 80 ns a pixel.
Result<Image> takePicture(const std::string& name, std::vector<std::byte> data);
/// The pixels of any of these. ERRORS as takePicture's.
Result<Pixels> pixelsOfPicture(const std::string& name, std::vector<std::byte> data);

/// The kinds that takePicture knows, in words.
constexpr const char* kPictureKinds = "PNG, JPEG, TGA, BMP, PSD, TIFF or WebP";

} // namespace thicket
