#pragma once
// stb's decoder as part of the file that includes this, which says before which kinds it is to know (STBI_ONLY_PNG ...), and
// whether it wants to resize too (STB_WITH_RESIZE).

#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wall"
#pragma GCC diagnostic ignored "-Wextra"
#pragma GCC diagnostic ignored "-Wpedantic"
#pragma GCC diagnostic ignored "-Wconversion"
#pragma GCC diagnostic ignored "-Wshadow"
#define STB_IMAGE_STATIC
#define STB_IMAGE_IMPLEMENTATION
#include <stb_image.h>
#ifdef STB_WITH_RESIZE
#define STB_IMAGE_RESIZE_STATIC
#define STB_IMAGE_RESIZE_IMPLEMENTATION
#include <stb_image_resize.h>
#endif
#pragma GCC diagnostic pop

#include <memory>

namespace thicket {
namespace {

struct FreePixels {
    void operator()(stbi_uc* data) const { stbi_image_free(data); }
};
using DecodedPixels = std::unique_ptr<stbi_uc, FreePixels>;

} // namespace
} // namespace thicket
