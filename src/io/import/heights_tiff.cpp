// TIFF by libtiff: strips or tiles, one value a pixel, of which the first and largest page is taken.
#include "io/import/heights_parts.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <memory>
#include <tiffio.h>

namespace thicket::detail {
namespace {

constexpr std::uint32_t kPixelScale = 33550; // GeoTIFF: size of a pixel in the units of its map
constexpr std::uint32_t kNoData = 42113;     // text: the value that means nothing

int remember(TIFF* /*tiff*/, void* problem, const char* /*module*/, const char* format, va_list arguments) {
    char text[300];
    std::vsnprintf(text, sizeof text, format, arguments);
    auto& out = *static_cast<std::string*>(problem);
    if (out.empty())
        out = text;
    return 1;
}
int passOver(TIFF* /*tiff*/, void* /*problem*/, const char* /*module*/, const char* /*format*/, va_list /*arguments*/) {
    return 1;
}

float valueAt(const unsigned char* at, int bits, int format) {
    if (bits == 8)
        return format == SAMPLEFORMAT_INT ? static_cast<float>(static_cast<signed char>(*at)) : static_cast<float>(*at);
    if (bits == 16) {
        std::uint16_t v = 0;
        std::memcpy(&v, at, 2);
        return format == SAMPLEFORMAT_INT ? static_cast<float>(static_cast<std::int16_t>(v)) : static_cast<float>(v);
    }
    if (format == SAMPLEFORMAT_IEEEFP) {
        float v = 0;
        std::memcpy(&v, at, 4);
        return v;
    }
    std::uint32_t v = 0;
    std::memcpy(&v, at, 4);
    return format == SAMPLEFORMAT_INT ? static_cast<float>(static_cast<std::int32_t>(v)) : static_cast<float>(v);
}

/// Values of a tag that libtiff does not know: only when the file has them in the type that is asked for.
template <class T> std::vector<T> valuesOf(TIFF* tiff, std::uint32_t tag, TIFFDataType type) {
    const TIFFField* field = TIFFFindField(tiff, tag, TIFF_ANY);
    if (field == nullptr || TIFFFieldDataType(field) != type || TIFFFieldPassCount(field) == 0)
        return {};
    std::uint32_t count = 0;
    std::uint16_t few = 0;
    const T* values = nullptr;
    const bool wide = TIFFFieldReadCount(field) == TIFF_VARIABLE2;
    const int found = wide ? TIFFGetField(tiff, tag, &count, &values) : TIFFGetField(tiff, tag, &few, &values);
    if (found != 1 || values == nullptr)
        return {};
    return {values, values + (wide ? count : few)};
}

/// Whether the file is as long as its strips or tiles need: before there is room made for what they become.
bool holdsAllOf(TIFF* tiff, const std::filesystem::path& path) {
    std::error_code problem;
    const std::uintmax_t size = std::filesystem::file_size(path, problem);
    const std::uint32_t pieces = TIFFIsTiled(tiff) != 0 ? TIFFNumberOfTiles(tiff) : TIFFNumberOfStrips(tiff);
    for (std::uint32_t i = 0; i < pieces; ++i) {
        const std::uint64_t from = TIFFGetStrileOffset(tiff, i);
        const std::uint64_t bytes = TIFFGetStrileByteCount(tiff, i);
        if (bytes == 0 || from > size || bytes > size - from)
            return false;
    }
    return !problem;
}

} // namespace

Result<RawHeights> readTiffHeights(const std::filesystem::path& path, const HeightRoom& room, const JobContext& job) {
    const std::string where = path.string();
    std::string problem;
    const std::unique_ptr<TIFFOpenOptions, void (*)(TIFFOpenOptions*)> options(TIFFOpenOptionsAlloc(),
                                                                               TIFFOpenOptionsFree);
    TIFFOpenOptionsSetErrorHandlerExtR(options.get(), remember, &problem);
    TIFFOpenOptionsSetWarningHandlerExtR(options.get(), passOver, nullptr);
    TIFFOpenOptionsSetMaxSingleMemAlloc(options.get(), tmsize_t{1} << 30);
    const std::unique_ptr<TIFF, void (*)(TIFF*)> tiff(TIFFOpenExt(path.c_str(), "r", options.get()), TIFFClose);
    const auto broken = [&] {
        return Error{ErrorCode::BadInput, where,
                     fmt::format("is no whole TIFF{}", problem.empty() ? std::string() : " (" + problem + ")"),
                     "check whether the file is damaged or cut short"};
    };
    if (!tiff)
        return broken();
    TIFF* t = tiff.get();
    std::uint32_t columns = 0;
    std::uint32_t rows = 0;
    std::uint16_t bits = 1;
    std::uint16_t format = SAMPLEFORMAT_UINT;
    std::uint16_t samples = 1;
    std::uint16_t planes = PLANARCONFIG_CONTIG;
    if (TIFFGetField(t, TIFFTAG_IMAGEWIDTH, &columns) == 0 || TIFFGetField(t, TIFFTAG_IMAGELENGTH, &rows) == 0)
        return broken();
    TIFFGetFieldDefaulted(t, TIFFTAG_BITSPERSAMPLE, &bits);
    TIFFGetFieldDefaulted(t, TIFFTAG_SAMPLEFORMAT, &format);
    TIFFGetFieldDefaulted(t, TIFFTAG_SAMPLESPERPIXEL, &samples);
    TIFFGetFieldDefaulted(t, TIFFTAG_PLANARCONFIG, &planes);
    RawHeights out;
    out.info.format = "TIFF";
    out.info.columns = columns;
    out.info.rows = rows;
    out.info.bits = bits;
    out.info.whole = format != SAMPLEFORMAT_IEEEFP;
    if (samples != 1)
        return Error{ErrorCode::BadInput, where, fmt::format("has {} values a pixel; heights have one", samples),
                     "give the band with the heights alone"};
    const bool known =
        (format == SAMPLEFORMAT_IEEEFP && bits == 32) ||
        ((format == SAMPLEFORMAT_UINT || format == SAMPLEFORMAT_INT) && (bits == 8 || bits == 16 || bits == 32));
    if (!known)
        return Error{ErrorCode::BadInput, where,
                     fmt::format("holds values of {} bits of a kind that is not read", bits),
                     "give 16-bit whole numbers or 32-bit floating point"};
    if (out.info.whole) {
        const double all = std::exp2(bits) - 1;
        out.lowest = format == SAMPLEFORMAT_INT ? -(all + 1) / 2 : 0;
        out.highest = out.lowest + all;
    }
    if (auto fits = checkHeightSize(columns, rows, where); !fits)
        return fits.error();
    if (const auto scale = valuesOf<double>(t, kPixelScale, TIFF_DOUBLE); scale.size() >= 2 && scale[0] > 0) {
        // Degrees are no metres: what is finer than a centimetre is an angle.
        if (scale[0] >= 0.01)
            out.info.spacing = scale[0];
        if (std::abs(scale[0] - scale[1]) > 1e-6 * scale[0])
            out.notes.push_back(
                fmt::format("its heights lie {:g} by {:g} apart; {:g} is used for both", scale[0], scale[1], scale[0]));
    }
    if (const auto text = valuesOf<char>(t, kNoData, TIFF_ASCII); !text.empty()) {
        const std::string nothing(text.begin(), std::find(text.begin(), text.end(), '\0'));
        char* end = nullptr;
        const double value = std::strtod(nothing.c_str(), &end);
        if (end != nothing.c_str() && std::isfinite(value))
            out.info.noData = value;
    }
    if (!room)
        return out;
    if (!holdsAllOf(t, path))
        return broken();
    auto grid = room(out.info);
    if (!grid)
        return grid.error();
    out.grid = std::move(*grid);
    const std::size_t bytes = bits / 8U;
    const auto tick = [&](std::uint32_t y) {
        job.report(static_cast<double>(y) / rows, "Reading heights");
        return !job.cancelled();
    };
    if (TIFFIsTiled(t) != 0) {
        std::uint32_t wide = 0;
        std::uint32_t tall = 0;
        TIFFGetField(t, TIFFTAG_TILEWIDTH, &wide);
        TIFFGetField(t, TIFFTAG_TILELENGTH, &tall);
        const tmsize_t size = TIFFTileSize(t);
        if (wide == 0 || tall == 0 || size <= 0 || size > (tmsize_t{1} << 28) ||
            static_cast<std::uint64_t>(size) < std::uint64_t{wide} * tall * bytes)
            return broken();
        std::vector<unsigned char> tile(static_cast<std::size_t>(size));
        for (std::uint32_t y = 0; y < rows; y += tall) {
            if (!tick(y))
                return cancelledError();
            for (std::uint32_t x = 0; x < columns; x += wide) {
                if (TIFFReadTile(t, tile.data(), x, y, 0, 0) < 0)
                    return broken();
                for (std::uint32_t j = 0; j < std::min(tall, rows - y); ++j) {
                    float* to = out.grid.edit(y + j) + x;
                    for (std::uint32_t i = 0; i < std::min(wide, columns - x); ++i)
                        to[i] = valueAt(&tile[(std::size_t{j} * wide + i) * bytes], bits, format);
                }
            }
        }
        return out;
    }
    const tmsize_t line = TIFFScanlineSize(t);
    if (line <= 0 || static_cast<std::uint64_t>(line) < std::uint64_t{columns} * bytes || line > (tmsize_t{1} << 28))
        return broken();
    std::vector<unsigned char> row(static_cast<std::size_t>(line));
    for (std::uint32_t y = 0; y < rows; ++y) {
        if ((y & 63U) == 0 && !tick(y))
            return cancelledError();
        if (TIFFReadScanline(t, row.data(), y, 0) < 0)
            return broken();
        float* to = out.grid.edit(y);
        for (std::uint32_t x = 0; x < columns; ++x)
            to[x] = valueAt(&row[x * bytes], bits, format);
    }
    return out;
}

} // namespace thicket::detail
