#include "io/import/care_mask.h"

#include "base/file.h"
#include "image/take_picture.h"

namespace thicket {

Result<std::shared_ptr<const CareMask>> readCareMask(const std::filesystem::path& file) {
    constexpr int kMostTexels = 256;
    auto bytes = readFile(file);
    if (!bytes)
        return bytes.error();
    auto pixels = pixelsOfPicture(file.filename().string(), std::move(*bytes));
    if (!pixels) {
        Error error = pixels.error();
        error.where = file.string();
        return error;
    }
    while (std::max(pixels->width, pixels->height) > kMostTexels)
        *pixels = halveImage(*pixels, true);
    CareMask mask{pixels->width, pixels->height, {}};
    for (std::size_t i = 0; i < pixels->rgba.size(); i += 4)
        mask.values.push_back(static_cast<std::uint8_t>(
            (pixels->rgba[i] * 54 + pixels->rgba[i + 1] * 183 + pixels->rgba[i + 2] * 19) / 256));
    return std::shared_ptr<const CareMask>(std::make_shared<const CareMask>(std::move(mask)));
}

} // namespace thicket
