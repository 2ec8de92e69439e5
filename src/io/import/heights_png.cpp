// Grey PNG by libpng. Longjmp crosses no object with a destructor: those live in the caller of `decode`.
#include "base/memory.h"
#include "io/import/heights_parts.h"

#include <csetjmp>
#include <cstdio>
#include <fmt/format.h>
#include <png.h>

namespace thicket::detail {
namespace {

struct Decoder {
    std::FILE* file = nullptr;
    png_structp png = nullptr;
    png_infop info = nullptr;
    std::string problem;

    ~Decoder() {
        if (png != nullptr)
            png_destroy_read_struct(&png, info != nullptr ? &info : nullptr, nullptr);
        if (file != nullptr)
            std::fclose(file);
    }
};

void fails(png_structp png, png_const_charp message) {
    static_cast<Decoder*>(png_get_error_ptr(png))->problem = message;
    png_longjmp(png, 1);
}
void warns(png_structp /*png*/, png_const_charp /*message*/) {}

bool readHead(Decoder& d) {
    if (setjmp(png_jmpbuf(d.png)) != 0)
        return false;
    png_init_io(d.png, d.file);
    png_set_user_limits(d.png, 1'000'000, 1'000'000);
    png_set_chunk_malloc_max(d.png, 8'000'000);
    png_read_info(d.png, d.info);
    return true;
}

/// Sets it to grey of 8 or 16 bits in our byte order.
bool prepare(Decoder& d) {
    if (setjmp(png_jmpbuf(d.png)) != 0)
        return false;
    png_set_interlace_handling(d.png);
    if (png_get_bit_depth(d.png, d.info) < 8)
        png_set_expand_gray_1_2_4_to_8(d.png);
    png_set_strip_alpha(d.png);
    if (png_get_bit_depth(d.png, d.info) == 16)
        png_set_swap(d.png);
    png_read_update_info(d.png, d.info);
    return true;
}

bool readRow(Decoder& d, png_bytep row) {
    if (setjmp(png_jmpbuf(d.png)) != 0)
        return false;
    png_read_row(d.png, row, nullptr);
    return true;
}

bool readAll(Decoder& d, png_bytep* rows) {
    if (setjmp(png_jmpbuf(d.png)) != 0)
        return false;
    png_read_image(d.png, rows);
    return true;
}

} // namespace

Result<RawHeights> readPngHeights(const std::filesystem::path& path, const HeightRoom& room, const JobContext& job) {
    const std::string where = path.string();
    Decoder d;
    d.file = std::fopen(path.c_str(), "rb");
    if (d.file == nullptr)
        return Error{ErrorCode::NotFound, where, "cannot be opened", "check its name and its rights"};
    d.png = png_create_read_struct(PNG_LIBPNG_VER_STRING, &d, fails, warns);
    d.info = d.png != nullptr ? png_create_info_struct(d.png) : nullptr;
    if (d.info == nullptr)
        return Error{ErrorCode::TooLarge, where, "there is not enough memory", "close other programs"};
    const auto broken = [&] {
        return Error{ErrorCode::BadInput, where, fmt::format("is no whole PNG ({})", d.problem),
                     "check whether the file is damaged or cut short"};
    };
    if (!readHead(d))
        return broken();
    RawHeights out;
    out.info.format = "PNG";
    out.info.columns = png_get_image_width(d.png, d.info);
    out.info.rows = png_get_image_height(d.png, d.info);
    out.info.bits = png_get_bit_depth(d.png, d.info) == 16 ? 16 : 8;
    out.info.whole = true;
    out.highest = out.info.bits == 16 ? 65535 : 255;
    const int type = png_get_color_type(d.png, d.info);
    if (type != PNG_COLOR_TYPE_GRAY && type != PNG_COLOR_TYPE_GRAY_ALPHA)
        return Error{ErrorCode::BadInput, where, "is a picture in colours, not one of heights", "give a grey one"};
    if (auto fits = checkHeightSize(out.info.columns, out.info.rows, where); !fits)
        return fits.error();
    if (!room)
        return out;
    auto grid = room(out.info);
    if (!grid)
        return grid.error();
    out.grid = std::move(*grid);
    const bool woven = png_get_interlace_type(d.png, d.info) != PNG_INTERLACE_NONE;
    if (!prepare(d))
        return broken();
    const std::size_t columns = out.info.columns;
    const std::size_t rows = out.info.rows;
    const std::size_t rowBytes = png_get_rowbytes(d.png, d.info);
    const auto take = [&](std::size_t y, const std::vector<unsigned char>& row) {
        float* to = out.grid.edit(static_cast<std::uint32_t>(y));
        for (std::size_t x = 0; x < columns; ++x)
            to[x] =
                out.info.bits == 16 ? static_cast<float>(row[2 * x] | row[2 * x + 1] << 8) : static_cast<float>(row[x]);
    };
    if (woven) { // its rows come in passes, so all are held at once
        if (auto fits = checkMemory(static_cast<double>(rows * rowBytes), availableMemory(), where); !fits)
            return fits.error();
        std::vector<std::vector<unsigned char>> all(rows, std::vector<unsigned char>(rowBytes));
        std::vector<png_bytep> pointers;
        for (auto& row : all)
            pointers.push_back(row.data());
        if (!readAll(d, pointers.data()))
            return broken();
        for (std::size_t y = 0; y < rows; ++y)
            take(y, all[y]);
        return out;
    }
    std::vector<unsigned char> row(rowBytes);
    for (std::size_t y = 0; y < rows; ++y) {
        if ((y & 63U) == 0) {
            if (job.cancelled())
                return cancelledError();
            job.report(static_cast<double>(y) / static_cast<double>(rows), "Reading heights");
        }
        if (!readRow(d, row.data()))
            return broken();
        take(y, row);
    }
    return out;
}

} // namespace thicket::detail
