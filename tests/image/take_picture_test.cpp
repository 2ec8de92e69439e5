// Pictures of other kinds than glTF holds: the pixels that were written come back, and nothing else is taken for one.

#include "base/file.h"
#include "image/take_picture.h"
#include "support/temp_folder.h"

#include <gtest/gtest.h>
#include <random>
#include <tiffio.h>
#include <webp/encode.h>

namespace thicket {
namespace {

using Bytes = std::vector<std::byte>;

void put(Bytes& to, unsigned value, int bytes) {
    for (int i = 0; i < bytes; ++i)
        to.push_back(std::byte(value >> (8 * i)));
}

Pixels speckled(int width, int height, bool holes) {
    std::mt19937 random(11);
    Pixels p{width, height, {}};
    for (int i = 0; i < width * height; ++i) {
        for (int k = 0; k < 3; ++k)
            p.rgba.push_back(static_cast<std::uint8_t>(random()));
        p.rgba.push_back(holes && i % 3 == 1 ? std::uint8_t{0} : std::uint8_t{255});
    }
    return p;
}

/// Rows from the bottom, blue first, as they are by default.
Bytes tga(const Pixels& p) {
    Bytes out;
    for (const unsigned head : {0U, 0U, 2U, 0U, 0U, 0U, 0U, 0U, 0U, 0U, 0U, 0U})
        put(out, head, 1);
    put(out, static_cast<unsigned>(p.width), 2);
    put(out, static_cast<unsigned>(p.height), 2);
    put(out, 32, 1);
    put(out, 8, 1);
    for (int y = p.height; y-- > 0;)
        for (int x = 0; x < p.width; ++x)
            for (const int k : {2, 1, 0, 3})
                put(out, p.at(x, y)[k], 1);
    return out;
}

/// The same in packets of equal or of different pixels.
Bytes packedTga(const Pixels& p) {
    Bytes out = tga(p);
    out.resize(18);
    out[2] = std::byte{10};
    for (int y = p.height; y-- > 0;)
        for (int x = 0; x < p.width; ++x) {
            put(out, x % 2 == 0 ? 0x80U : 0U, 1);
            for (const int k : {2, 1, 0, 3})
                put(out, p.at(x, y)[k], 1);
        }
    return out;
}

Bytes bmp(const Pixels& p) {
    Bytes out;
    const auto row = static_cast<unsigned>((3 * p.width + 3) / 4 * 4);
    put(out, 'B' | 'M' << 8, 2);
    put(out, 54 + row * static_cast<unsigned>(p.height), 4);
    put(out, 0, 4);
    put(out, 54, 4);
    put(out, 40, 4);
    put(out, static_cast<unsigned>(p.width), 4);
    put(out, static_cast<unsigned>(p.height), 4);
    put(out, 1 | 24 << 16, 4);
    for (int i = 0; i < 6; ++i)
        put(out, 0, 4);
    for (int y = p.height; y-- > 0;) {
        for (int x = 0; x < p.width; ++x)
            for (const int k : {2, 1, 0})
                put(out, p.at(x, y)[k], 1);
        for (unsigned x = 3 * static_cast<unsigned>(p.width); x < row; ++x)
            put(out, 0, 1);
    }
    return out;
}

Bytes tiff(const Pixels& p) {
    const TempFolder folder;
    const std::string file = (folder.path() / "p.tif").string();
    TIFF* to = TIFFOpen(file.c_str(), "w");
    TIFFSetField(to, TIFFTAG_IMAGEWIDTH, p.width);
    TIFFSetField(to, TIFFTAG_IMAGELENGTH, p.height);
    TIFFSetField(to, TIFFTAG_SAMPLESPERPIXEL, 4);
    TIFFSetField(to, TIFFTAG_BITSPERSAMPLE, 8);
    TIFFSetField(to, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
    TIFFSetField(to, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(to, TIFFTAG_COMPRESSION, COMPRESSION_LZW);
    const std::uint16_t extra = EXTRASAMPLE_UNASSALPHA;
    TIFFSetField(to, TIFFTAG_EXTRASAMPLES, 1, &extra);
    for (int y = 0; y < p.height; ++y) {
        std::vector<std::uint8_t> row(p.at(0, y), p.at(0, y) + 4 * p.width);
        TIFFWriteScanline(to, row.data(), static_cast<std::uint32_t>(y), 0);
    }
    TIFFClose(to);
    return *readFile(file);
}

Bytes webp(const Pixels& p) {
    std::uint8_t* data = nullptr;
    const std::size_t size = WebPEncodeLosslessRGBA(p.rgba.data(), p.width, p.height, 4 * p.width, &data);
    Bytes out(reinterpret_cast<std::byte*>(data), reinterpret_cast<std::byte*>(data) + size);
    WebPFree(data);
    return out;
}

/// Of colours where nothing covers nothing is asked.
void expectSame(const Pixels& back, const Pixels& wanted, const char* kind) {
    ASSERT_EQ(back.width, wanted.width) << kind;
    ASSERT_EQ(back.height, wanted.height) << kind;
    for (std::size_t i = 0; i < wanted.rgba.size(); i += 4) {
        ASSERT_EQ(back.rgba[i + 3], wanted.rgba[i + 3]) << kind << ", pixel " << i / 4;
        for (std::size_t k = 0; k < 3 && wanted.rgba[i + 3] != 0; ++k)
            ASSERT_EQ(back.rgba[i + k], wanted.rgba[i + k]) << kind << ", pixel " << i / 4;
    }
}

} // namespace

TEST(TakePicture, what_stands_in_other_kinds_goes_on_as_png_of_the_same_pixels) {
    const struct {
        const char* kind;
        Bytes (*encode)(const Pixels&);
        bool holes;
    } kinds[] = {{"TGA", tga, true},
                 {"packed TGA", packedTga, true},
                 {"BMP", bmp, false},
                 {"TIFF", tiff, true},
                 {"WebP", webp, true}};
    for (const auto& kind : kinds)
        for (const auto& [width, height] : {std::pair{37, 21}, std::pair{1, 1}, std::pair{64, 2}}) {
            const Pixels wanted = speckled(width, height, kind.holes);
            const auto taken = takePicture("shell", kind.encode(wanted));
            ASSERT_TRUE(taken) << kind.kind << ": " << taken.error().text();
            EXPECT_EQ(taken->mimeType, "image/png");
            EXPECT_EQ(pictureType(taken->encoded), "image/png");
            const auto back = decodeImage(*taken);
            ASSERT_TRUE(back);
            expectSame(*back, wanted, kind.kind);
        }
}

TEST(TakePicture, png_goes_on_byte_for_byte) {
    const Image png = encodePng(speckled(9, 5, true), "shell");
    const auto taken = takePicture("shell", png.encoded);
    ASSERT_TRUE(taken);
    EXPECT_EQ(taken->encoded, png.encoded);
}

TEST(TakePicture, what_is_no_picture_is_refused) {
    const auto refused = [](const Bytes& data) {
        const auto taken = takePicture("notes.tga", data);
        return !taken && !taken.error().remedy.empty();
    };
    const std::string text = "the tide table of the harbour master\n\n\t1 2 3 10 11 and so on, and so on, and so on\n";
    Bytes bytes;
    for (const char c : text)
        bytes.push_back(std::byte(c));
    EXPECT_TRUE(refused(bytes));
    EXPECT_TRUE(refused({}));
    // Whatever stands in front, letters are not pixels.
    for (std::size_t cut = 0; cut < bytes.size(); ++cut)
        EXPECT_TRUE(refused({bytes.begin() + static_cast<std::ptrdiff_t>(cut), bytes.end()})) << cut;
}

TEST(TakePicture, damaged_pictures_are_refused_or_of_the_size_that_they_say) {
    std::mt19937 random(5);
    for (const auto encode : {tga, packedTga, bmp, tiff, webp}) {
        const Bytes whole = encode(speckled(19, 13, false));
        for (int round = 0; round < 300; ++round) {
            Bytes bytes = whole;
            if (round % 2 == 0)
                bytes.resize(random() % bytes.size());
            for (int i = 0; i < 4 && !bytes.empty(); ++i)
                bytes[random() % std::min<std::size_t>(bytes.size(), 64)] = std::byte(random());
            const auto taken = pixelsOfPicture("p", bytes);
            if (!taken)
                continue;
            ASSERT_GT(taken->width, 0);
            ASSERT_EQ(taken->rgba.size(),
                      4 * static_cast<std::size_t>(taken->width) * static_cast<std::size_t>(taken->height));
        }
    }
}

TEST(TakePicture, a_fourth_byte_that_is_nothing_everywhere_is_no_cover) {
    Pixels p = speckled(9, 7, false);
    for (std::size_t i = 3; i < p.rgba.size(); i += 4)
        p.rgba[i] = 0;
    const auto taken = pixelsOfPicture("p", tga(p));
    ASSERT_TRUE(taken);
    for (std::size_t i = 3; i < taken->rgba.size(); i += 4)
        ASSERT_EQ(taken->rgba[i], 255);
    EXPECT_EQ(taken->rgba[0], p.rgba[0]);
}

TEST(TakePicture, a_packed_one_that_claims_more_than_its_bytes_can_hold_is_none) {
    Bytes few = packedTga(speckled(1, 1, false));
    few[12] = few[14] = std::byte{0x80}; // 16,000 a side in 23 bytes
    few[13] = few[15] = std::byte{0x3E};
    const auto taken = takePicture("p", few);
    ASSERT_FALSE(taken);
    EXPECT_EQ(taken.error().code, ErrorCode::BadInput);
}

TEST(TakePicture, too_large_ones_are_refused_before_anything_is_made) {
    Bytes head = bmp(speckled(1, 1, false));
    head[20] = head[24] = std::byte{1}; // 65,537 a side
    const auto taken = takePicture("p", head);
    ASSERT_FALSE(taken);
    EXPECT_EQ(taken.error().code, ErrorCode::TooLarge);
}

} // namespace thicket
