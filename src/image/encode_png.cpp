// PNG by libpng. Longjmp crosses no object with a destructor: those live in the caller of `write`.

#include "image/image.h"

#include <algorithm>
#include <csetjmp>
#include <png.h>
#include <zlib.h>

namespace thicket {
namespace {

struct Encoder {
    png_structp png = nullptr;
    png_infop info = nullptr;
    std::vector<std::byte> out; ///< of room enough before anything is written
    std::size_t used = 0;

    Encoder() = default;
    Encoder(const Encoder&) = delete;
    Encoder& operator=(const Encoder&) = delete;
    ~Encoder() { png_destroy_write_struct(&png, info != nullptr ? &info : nullptr); }
};

void take(png_structp png, png_bytep data, png_size_t size) {
    auto& to = *static_cast<Encoder*>(png_get_io_ptr(png));
    if (size > to.out.size() - to.used)
        png_error(png, "no room");
    std::copy_n(reinterpret_cast<const std::byte*>(data), size, to.out.begin() + static_cast<std::ptrdiff_t>(to.used));
    to.used += size;
}
void flush(png_structp /*png*/) {}
void fails(png_structp png, png_const_charp /*message*/) {
    png_longjmp(png, 1);
}
void warns(png_structp /*png*/, png_const_charp /*message*/) {}

bool write(Encoder& to, const std::uint8_t* pixels, png_uint_32 width, png_uint_32 height, int channels) {
    if (setjmp(png_jmpbuf(to.png)) != 0)
        return false;
    png_set_write_fn(to.png, &to, take, flush);
    // Differences to the row above, and runs of equal ones: as small as with all effort on textures, in a tenth of the time.
    png_set_filter(to.png, PNG_FILTER_TYPE_BASE, PNG_FILTER_UP);
    png_set_compression_strategy(to.png, Z_RLE);
    png_set_compression_level(to.png, 1);
    png_set_IHDR(to.png, to.info, width, height, 8, channels == 4 ? PNG_COLOR_TYPE_RGB_ALPHA : PNG_COLOR_TYPE_RGB,
                 PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
    png_write_info(to.png, to.info);
    for (png_uint_32 y = 0; y < height; ++y)
        png_write_row(to.png, pixels + static_cast<std::size_t>(y) * width * static_cast<std::size_t>(channels));
    png_write_end(to.png, nullptr);
    return true;
}

} // namespace

Image encodePng(const Pixels& pixels, const std::string& name) {
    // What has no holes is written without alpha: a quarter smaller.
    bool holes = false;
    for (std::size_t i = 3; i < pixels.rgba.size() && !holes; i += 4)
        holes = pixels.rgba[i] != 255;
    std::vector<std::uint8_t> opaque;
    if (!holes) {
        opaque.reserve(pixels.rgba.size() / 4 * 3);
        for (std::size_t i = 0; i + 3 < pixels.rgba.size(); i += 4)
            opaque.insert(opaque.end(), {pixels.rgba[i], pixels.rgba[i + 1], pixels.rgba[i + 2]});
    }
    const std::vector<std::uint8_t>& from = holes ? pixels.rgba : opaque;
    Encoder to;
    to.png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, fails, warns);
    to.info = to.png != nullptr ? png_create_info_struct(to.png) : nullptr;
    if (to.info == nullptr)
        throw std::bad_alloc();
    // What cannot be made smaller stands as it is, in blocks with heads.
    const std::size_t raw = from.size() + static_cast<std::size_t>(pixels.height);
    to.out.resize(raw + raw / 512 + 4096);
    if (!write(to, from.data(), static_cast<png_uint_32>(pixels.width), static_cast<png_uint_32>(pixels.height),
               holes ? 4 : 3))
        throw std::bad_alloc(); // nothing else can go wrong with pixels that are there
    to.out.resize(to.used);
    to.out.shrink_to_fit();
    return {name, "image/png", std::move(to.out)};
}

} // namespace thicket
