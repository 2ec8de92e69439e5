#include "appmodel/emitter_model.h"

#include "appmodel/text.h"
#include "base/file.h"
#include "io/project/emitter_file.h"
#include "scene/emitter_subject.h"

namespace thicket::app {
namespace {

Emitter firstSmoke() {
    EmitterPart smoke;
    smoke.name = "smoke";
    smoke.spreadDegrees = 14;
    smoke.speed = {0.7, 1.1};
    smoke.from = {0.3, 0.1, 0.3};
    smoke.colour = {0.3F, 0.3F, 0.29F};
    smoke.colourAtEnd = {0.5F, 0.5F, 0.5F};
    Emitter out;
    out.parts = {smoke};
    out.levels.resize(1);
    out.levels.front().parts.resize(1);
    out.levels.push_back(nextLevel(out, 0.4, 30));
    return out;
}

/// Of a part itself, or of what a level says of it.
template <class Part> void setValue(Part& part, PartValue value, const Between& to) {
    switch (value) {
    case PartValue::On:
        part.on = to.low > 0.5;
        break;
    case PartValue::Rate:
        part.rate = to.low;
        break;
    case PartValue::Lifetime:
        part.lifetime = to;
        break;
    case PartValue::Size:
        part.size = to;
        break;
    case PartValue::Speed:
        part.speed = to;
        break;
    }
}

} // namespace

const Subject* EmitterModel::emitter(std::uint32_t id) const {
    const Subject* found = scene().find(id);
    return found != nullptr && found->emitter() != nullptr ? found : nullptr;
}

bool EmitterModel::change(std::uint32_t id, const QString& label, const std::function<void(Emitter&)>& how) {
    const Subject* found = emitter(id);
    if (found == nullptr)
        return false;
    Subject after = *found;
    Emitter& own = std::get<EmitterBody>(after.body).emitter;
    how(own);
    if (own == found->emitter()->emitter)
        return true;
    if (auto sound = checkEmitter(own, after.name); !sound) {
        m_session.report(sound.error());
        return false;
    }
    refresh(scene(), after);
    m_session.document.push(changeSubject(scene(), std::move(after), label.toStdString()));
    return true;
}

void EmitterModel::importEmitter(const QString& path) {
    m_session.add(tr("Reading %1").arg(path.section('/', -1)),
                  [path](const Scene&, const JobContext&) -> Result<Subject> {
                      const std::filesystem::path file = std::filesystem::absolute(toPath(path)).lexically_normal();
                      auto read = readEmitterFile(file);
                      if (!read)
                          return read.error();
                      auto made = makeEmitter(read->name, read->emitter, read->sprites);
                      if (!made)
                          return made;
                      made->source = {file, read->hash, {}};
                      std::get<EmitterBody>(made->body).placed =
                          std::make_shared<const Placements>(Placements{Placement()}); // it gets an id when it is added
                      return made;
                  });
}

void EmitterModel::makeNew(const Vec3d& place) {
    m_session.add(tr("Making an emitter"), [place](const Scene&, const JobContext&) -> Result<Subject> {
        auto made = makeEmitter("Smoke", firstSmoke(), {});
        if (!made)
            return made;
        Placement standing;
        standing.position = place;
        std::get<EmitterBody>(made->body).placed = std::make_shared<const Placements>(Placements{standing});
        return made;
    });
}

void EmitterModel::placeAt(std::uint32_t id, const Vec3d& place) {
    const Subject* found = emitter(id);
    if (found == nullptr)
        return;
    Subject after = *found;
    EmitterBody& body = std::get<EmitterBody>(after.body);
    Placements placed = body.placed ? *body.placed : Placements();
    Placement standing;
    standing.position = place;
    placed.push_back(standing);
    body.placed = std::make_shared<const Placements>(std::move(placed));
    m_session.document.push(changeSubject(scene(), std::move(after), "Place " + found->name));
}

void EmitterModel::save(std::uint32_t id, const QString& path) {
    const Subject* found = emitter(id);
    if (found == nullptr)
        return;
    const std::filesystem::path file = toPath(path);
    const std::string text = encodeEmitterFile(found->name, found->emitter()->emitter, EmitterText::Compact,
                                               std::filesystem::absolute(file).parent_path());
    if (auto done = writeTextFile(file, text); !done)
        m_session.report(done.error());
    else
        m_session.say(tr("Written: %1").arg(path));
}

Between EmitterModel::valueAt(const Emitter& emitter, int level, int part, PartValue value) {
    const EmitterPart of = partsAt(emitter, static_cast<std::size_t>(level))[static_cast<std::size_t>(part)];
    switch (value) {
    case PartValue::On:
        return of.on ? Between{1, 1} : Between{0, 0};
    case PartValue::Rate:
        return {of.rate, of.rate};
    case PartValue::Lifetime:
        return of.lifetime;
    case PartValue::Size:
        return of.size;
    case PartValue::Speed:
        return of.speed;
    }
    return {};
}

bool EmitterModel::setOn(std::uint32_t id, int level, int part, bool on) {
    return setNumber(id, level, part, PartValue::On, on ? Between{1, 1} : Between{0, 0});
}

bool EmitterModel::setNumber(std::uint32_t id, int level, int part, PartValue value, const Between& to) {
    return change(id, tr("Change %1 at L%2").arg(QString::fromLatin1(keyOf(value))).arg(level), [&](Emitter& e) {
        const auto l = static_cast<std::size_t>(level);
        const auto p = static_cast<std::size_t>(part);
        if (l >= e.levels.size() || p >= e.parts.size())
            return;
        if (l == 0)
            setValue(e.parts[p], value, to);
        else
            setValue(e.levels[l].parts[p], value, to);
    });
}

void EmitterModel::clear(std::uint32_t id, int level, int part, PartValue value) {
    change(id, tr("Back to inherited"), [&](Emitter& e) {
        if (level > 0 && level < static_cast<int>(e.levels.size()))
            e.levels[static_cast<std::size_t>(level)].parts[static_cast<std::size_t>(part)].clear(value);
    });
}

bool EmitterModel::addLevel(std::uint32_t id, double share) {
    const Subject* found = emitter(id);
    if (found == nullptr || found->emitter()->emitter.levels.size() >= Emitter::kMostLevels)
        return false;
    return change(id, tr("Add a level to %1").arg(toText(found->name)), [share](Emitter& e) {
        e.levels.push_back(nextLevel(e, share, 0));
        e.levels.back().from = usualSwitch(e, e.levels.size() - 1);
    });
}

void EmitterModel::removeLevel(std::uint32_t id, int level) {
    const Subject* found = emitter(id);
    if (found == nullptr || level < 1 || level >= static_cast<int>(found->emitter()->emitter.levels.size()))
        return;
    change(id, tr("Remove L%1 of %2").arg(level).arg(toText(found->name)), [level](Emitter& e) {
        const auto gone = static_cast<std::uint32_t>(level);
        e.levels.erase(e.levels.begin() + level);
        for (EmitterLevel& l : e.levels)
            if (l.inherits && *l.inherits >= gone)
                l.inherits = *l.inherits == gone ? std::nullopt : std::optional(*l.inherits - 1);
        if (e.forced && *e.forced >= e.levels.size())
            e.forced.reset();
    });
}

void EmitterModel::setLevelBy(std::uint32_t id, LevelBy by) {
    change(id, tr("Set the level by something else"), [by](Emitter& e) { e.levelBy = by; });
}

void EmitterModel::setForced(std::uint32_t id, std::optional<std::uint32_t> level) {
    change(id, level ? tr("Force a level") : tr("Force no level"), [level](Emitter& e) { e.forced = level; });
}

void EmitterModel::setSeed(std::uint32_t id, std::uint32_t seed) {
    change(id, tr("Another seed"), [seed](Emitter& e) { e.seed = seed; });
}

void EmitterModel::setDeviceTier(int tier) {
    Settings settings = scene().settings;
    if (settings.device >= settings.devices.size() || settings.devices[settings.device].tier == tier)
        return;
    settings.devices[settings.device].tier = tier;
    m_session.document.push(changeSettings(scene(), std::move(settings), "Change the tier of a device"));
}

} // namespace thicket::app
