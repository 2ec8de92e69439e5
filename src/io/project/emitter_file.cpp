#include "io/project/emitter_file.h"

#include "base/file.h"
#include "image/take_picture.h"
#include "io/json/emitter_json.h"

#include <fmt/format.h>

namespace thicket {
namespace fs = std::filesystem;
using json::ordered_json;

namespace {

constexpr int kEmitterVersion = 1;
constexpr const char* kEmitterFormat = "lean-thicket-emitter";
constexpr std::uintmax_t kMostSpriteBytes = std::uintmax_t{64} << 20;
constexpr std::uintmax_t kMostFileBytes = std::uintmax_t{4} << 20;

} // namespace

Result<std::shared_ptr<const Image>> readSprite(const fs::path& path) {
    if (path.empty())
        return std::shared_ptr<const Image>();
    auto bytes = readFile(path, kMostSpriteBytes);
    if (!bytes)
        return bytes.error();
    auto taken = takePicture(path.filename().string(), std::move(*bytes));
    if (!taken)
        return Error{taken.error().code, path.string(), taken.error().what, taken.error().remedy};
    Image& out = *taken;
    constexpr int kMostSide = 8192;
    const auto size = imageSize(out);
    if (!size || size->width < 1 || size->height < 1 || size->width > kMostSide || size->height > kMostSide)
        return Error{ErrorCode::BadInput, path.string(), "is no picture of up to 8192 pixels a side",
                     "give a smaller sprite"};
    return std::make_shared<const Image>(std::move(out));
}

Result<EmitterFile> readEmitterFile(const fs::path& path) {
    auto bytes = readFile(path, kMostFileBytes);
    if (!bytes)
        return bytes.error();
    const std::string text(reinterpret_cast<const char*>(bytes->data()), bytes->size());
    const fs::path folder = fs::absolute(path).parent_path();
    auto out = json::decoded(path.string(), "mend the file", [&] {
        const ordered_json in = json::parse(text);
        if (!in.is_object() || json::string(in, "format", "", "") != kEmitterFormat)
            throw json::FieldError("is not an emitter");
        if (json::integer<int>(in, "version", "", 0, 1'000'000) > kEmitterVersion)
            throw json::FieldError("version: was written by a later release");
        EmitterFile file;
        std::string stem = path.filename().string();
        stem = stem.substr(0, stem.find('.'));
        file.name = json::string(in, "name", "", stem);
        file.emitter = json::decodeEmitter(in, folder, "");
        return file;
    });
    if (!out)
        return out.error();
    if (auto sound = checkEmitter(out->emitter, path.string()); !sound)
        return sound.error();
    out->hash = contentHash(*bytes);
    for (EmitterPart& part : out->emitter.parts) {
        fs::path sprite;
        if (!part.sprite.empty()) {
            const auto inside =
                referencedFile(folder, part.sprite.lexically_relative(folder).string(), kMostSpriteBytes);
            if (!inside)
                return Error{inside.error().code, path.string(),
                             fmt::format("part “{}”: its sprite {} {}", part.name, part.sprite.filename().string(),
                                         inside.error().what),
                             "put the picture beside the file"};
            sprite = *inside;
        }
        auto read = readSprite(sprite);
        if (!read)
            return read.error();
        out->sprites.push_back(std::move(*read));
    }
    return out;
}

std::string encodeEmitterFile(const std::string& name, const Emitter& emitter, EmitterText how,
                              const fs::path& folder) {
    ordered_json out{{"format", how == EmitterText::Compact ? kEmitterFormat : "lean-thicket-emitter-levels"},
                     {"version", kEmitterVersion},
                     {"name", name}};
    out.update(how == EmitterText::Compact ? json::encode(emitter, folder) : json::encodeResolved(emitter, folder));
    return json::text(out, 2) + "\n";
}

} // namespace thicket
