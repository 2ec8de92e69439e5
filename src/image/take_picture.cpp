#include "image/take_picture.h"

#include <algorithm>
#include <array>
#include <cstdarg>
#include <cstring>
#include <memory>
#include <new>
#include <tiffio.h>
#include <webp/decode.h>

#define STBI_ONLY_TGA
#define STBI_ONLY_BMP
#define STBI_ONLY_PSD
#include "image/stb.h"

namespace thicket {
namespace {

using Bytes = std::span<const std::byte>;

unsigned byteAt(Bytes data, std::size_t at) {
    return at < data.size() ? std::to_integer<unsigned>(data[at]) : 0;
}
unsigned shortAt(Bytes data, std::size_t at) {
    return byteAt(data, at) | byteAt(data, at + 1) << 8;
}

bool begins(Bytes data, std::string_view with) {
    return data.size() > with.size() && std::memcmp(data.data(), with.data(), with.size()) == 0;
}

/// It has no letters of its own to begin with, so all that its head says has to fit together.
bool isTga(Bytes data) {
    constexpr std::size_t kHead = 18;
    if (data.size() <= kHead)
        return false;
    const unsigned map = byteAt(data, 1);
    const unsigned type = byteAt(data, 2);
    const unsigned bits = byteAt(data, 16);
    const std::size_t width = shortAt(data, 12);
    const std::size_t height = shortAt(data, 14);
    const bool mapped = type == 1 || type == 9;
    const bool grey = type == 3 || type == 11;
    if (map > 1 || mapped != (map == 1) || !(mapped || grey || type == 2 || type == 10) || width == 0 || height == 0)
        return false;
    const unsigned mapBits = byteAt(data, 7);
    if (mapped &&
        (bits != 8 || shortAt(data, 5) == 0 || (mapBits != 15 && mapBits != 16 && mapBits != 24 && mapBits != 32)))
        return false;
    if (!mapped && bits != 8 && bits != 15 && bits != 16 && bits != 24 && bits != 32)
        return false;
    const std::size_t before =
        kHead + byteAt(data, 0) + (mapped ? std::size_t{shortAt(data, 5)} * ((mapBits + 7) / 8) : 0);
    // A packet of so many equal pixels is the least that they take.
    constexpr std::size_t kInPacket = 128;
    const std::size_t each = (bits + 7) / 8;
    const std::size_t whole =
        type < 9 ? width * height * each : (width * height + kInPacket - 1) / kInPacket * (1 + each);
    return data.size() >= before + whole;
}

bool isTiff(Bytes data) {
    using namespace std::string_view_literals;
    return begins(data, "II*\0"sv) || begins(data, "MM\0*"sv) || begins(data, "II+\0"sv) || begins(data, "MM\0+"sv);
}

bool isWebp(Bytes data) {
    return begins(data, "RIFF") && data.size() > 16 && std::memcmp(data.data() + 8, "WEBP", 4) == 0;
}

bool sizeFits(int width, int height) {
    return width > 0 && height > 0 && width <= kLargestSide && height <= kLargestSide;
}

/// Pixels of nothing where it is damaged; of a size alone where that is too large.
Pixels plainPixels(Bytes data) {
    const auto* bytes = reinterpret_cast<const stbi_uc*>(data.data());
    const auto count = static_cast<int>(std::min<std::size_t>(data.size(), std::numeric_limits<int>::max()));
    Pixels out;
    int channels = 0;
    if (stbi_info_from_memory(bytes, count, &out.width, &out.height, &channels) == 0)
        return {};
    if (!sizeFits(out.width, out.height))
        return out;
    const DecodedPixels read(stbi_load_from_memory(bytes, count, &out.width, &out.height, &channels, 4));
    if (!read && std::string_view(stbi_failure_reason()) == "outofmem")
        throw std::bad_alloc();
    if (!read)
        return out;
    out.rgba.assign(read.get(),
                    read.get() + 4 * static_cast<std::size_t>(out.width) * static_cast<std::size_t>(out.height));
    // Where all of it would be clear nobody meant that: many programs leave the fourth byte at nothing.
    bool any = false;
    for (std::size_t i = 3; i < out.rgba.size() && !any; i += 4)
        any = out.rgba[i] != 0;
    for (std::size_t i = 3; i < out.rgba.size() && !any; i += 4)
        out.rgba[i] = 255;
    return out;
}

Pixels webpPixels(Bytes data) {
    const auto* bytes = reinterpret_cast<const std::uint8_t*>(data.data());
    Pixels out;
    if (WebPGetInfo(bytes, data.size(), &out.width, &out.height) == 0)
        return {};
    if (!sizeFits(out.width, out.height))
        return out;
    out.rgba.resize(4 * static_cast<std::size_t>(out.width) * static_cast<std::size_t>(out.height));
    if (WebPDecodeRGBAInto(bytes, data.size(), out.rgba.data(), out.rgba.size(), 4 * out.width) == nullptr)
        out.rgba.clear();
    return out;
}

/// A TIFF that lies in memory.
struct TiffSource {
    Bytes data;
    toff_t at = 0;

    static tsize_t read(thandle_t self, void* to, tsize_t count) {
        auto& s = *static_cast<TiffSource*>(self);
        const toff_t left = s.at < s.data.size() ? s.data.size() - s.at : 0;
        const auto take = static_cast<std::size_t>(std::min<toff_t>(left, static_cast<toff_t>(count)));
        std::memcpy(to, s.data.data() + s.at, take);
        s.at += take;
        return static_cast<tsize_t>(take);
    }
    static tsize_t write(thandle_t /*self*/, void* /*from*/, tsize_t /*count*/) { return 0; }
    static toff_t seek(thandle_t self, toff_t to, int from) {
        auto& s = *static_cast<TiffSource*>(self);
        s.at = from == SEEK_CUR ? s.at + to : from == SEEK_END ? s.data.size() + to : to;
        return s.at;
    }
    static int close(thandle_t /*self*/) { return 0; }
    static toff_t size(thandle_t self) { return static_cast<TiffSource*>(self)->data.size(); }
};

Pixels tiffPixels(Bytes data) {
    struct Close {
        void operator()(TIFF* tiff) const { TIFFClose(tiff); }
    };
    const auto quiet = [](TIFF* /*tiff*/, void* /*user*/, const char* /*module*/, const char* /*format*/,
                          va_list /*arguments*/) { return 1; };
    const std::unique_ptr<TIFFOpenOptions, void (*)(TIFFOpenOptions*)> options(TIFFOpenOptionsAlloc(),
                                                                               TIFFOpenOptionsFree);
    TIFFOpenOptionsSetErrorHandlerExtR(options.get(), quiet, nullptr);
    TIFFOpenOptionsSetWarningHandlerExtR(options.get(), quiet, nullptr);
    TiffSource source{data};
    // "m": nothing of it is mapped into memory a second time.
    const std::unique_ptr<TIFF, Close> tiff(TIFFClientOpenExt("picture", "rm", &source, TiffSource::read,
                                                              TiffSource::write, TiffSource::seek, TiffSource::close,
                                                              TiffSource::size, nullptr, nullptr, options.get()));
    std::uint32_t width = 0;
    std::uint32_t height = 0;
    if (!tiff || TIFFGetField(tiff.get(), TIFFTAG_IMAGEWIDTH, &width) != 1 ||
        TIFFGetField(tiff.get(), TIFFTAG_IMAGELENGTH, &height) != 1 || width == 0 || height == 0)
        return {};
    const auto clipped = [](std::uint32_t side) {
        return static_cast<int>(std::min<std::uint32_t>(side, kLargestSide + 1));
    };
    Pixels out{clipped(width), clipped(height), {}};
    if (!sizeFits(out.width, out.height))
        return out;
    std::vector<std::uint32_t> raster(std::size_t{width} * height);
    if (TIFFReadRGBAImageOriented(tiff.get(), width, height, raster.data(), ORIENTATION_TOPLEFT, 1) == 0)
        return out;
    out.rgba.reserve(4 * raster.size());
    for (const std::uint32_t p : raster) {
        const std::uint32_t alpha = TIFFGetA(p);
        // It gives colours multiplied by alpha.
        const auto whole = [alpha](std::uint32_t c) {
            return static_cast<std::uint8_t>(alpha == 0 ? c : std::min(255U, (c * 255 + alpha / 2) / alpha));
        };
        out.rgba.insert(out.rgba.end(),
                        {whole(TIFFGetR(p)), whole(TIFFGetG(p)), whole(TIFFGetB(p)), static_cast<std::uint8_t>(alpha)});
    }
    return out;
}

} // namespace

namespace {

Pixels decode(Bytes data) {
    if (isTiff(data))
        return tiffPixels(data);
    return isWebp(data) ? webpPixels(data) : plainPixels(data);
}

Error tooLargeToHold(const std::string& name) {
    return {ErrorCode::TooLarge, name, "needs more memory than there is", "make it smaller"};
}

} // namespace

Result<Pixels> pixelsOfPicture(const std::string& name, std::vector<std::byte> data) {
    try {
        if (std::string type = pictureType(data); !type.empty())
            return decodeImage({name, std::move(type), std::move(data)});
        if (!isTiff(data) && !isWebp(data) && !begins(data, "BM") && !begins(data, "8BPS") && !isTga(data))
            return Error{ErrorCode::BadInput, name, std::string("is none of ") + kPictureKinds,
                         "export the picture as PNG"};
        Pixels pixels = decode(data);
        if (pixels.width > kLargestSide || pixels.height > kLargestSide)
            return Error{ErrorCode::TooLarge, name, "is larger than 16,384 pixels a side", "make it smaller"};
        if (pixels.rgba.empty())
            return Error{ErrorCode::BadInput, name, "is damaged", "export the picture again"};
        return pixels;
    } catch (const std::bad_alloc&) {
        return tooLargeToHold(name);
    }
}

Result<Image> takePicture(const std::string& name, std::vector<std::byte> data) {
    if (std::string type = pictureType(data); !type.empty())
        return Image{name, std::move(type), std::move(data)};
    const auto pixels = pixelsOfPicture(name, std::move(data));
    if (!pixels)
        return pixels.error();
    try {
        return encodePng(*pixels, name);
    } catch (const std::bad_alloc&) {
        return tooLargeToHold(name);
    }
}

} // namespace thicket
