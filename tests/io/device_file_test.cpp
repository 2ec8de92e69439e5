#include "io/project/device_file.h"

#include "base/file.h"
#include "budget/devices.h"
#include "support/json_schema.h"
#include "support/temp_folder.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

namespace thicket {

TEST(DeviceFile, is_read_as_it_was_written) {
    const TempFolder folder;
    std::vector<Device> devices = usualDevices();
    devices[1].tier = 3;
    devices[1].detail = 0.7;
    devices[1].fitted = {{7, 2.5}};
    const auto path = folder.path() / "mine.devices.json";
    ASSERT_TRUE(writeDevices(devices, path));
    const auto schema = nlohmann::json::parse(*readTextFile(SOURCE_ROOT "/docs/formats/devices.schema.json"));
    for (const std::string& broken : breaks(schema, nlohmann::json::parse(*readTextFile(path))))
        ADD_FAILURE() << broken;
    const auto read = readDevices(path);
    ASSERT_TRUE(read) << read.error().text();
    ASSERT_EQ(read->size(), 2U);
    EXPECT_EQ((*read)[1].name, devices[1].name);
    EXPECT_EQ((*read)[1].tier, 3);
    EXPECT_EQ((*read)[1].detail, 0.7);
    EXPECT_EQ((*read)[0].nsPerTriangle, devices[0].nsPerTriangle);
    EXPECT_TRUE((*read)[1].fitted.empty()) << "what was fitted speaks of one project's subjects";
}

TEST(DeviceFile, what_is_wrong_with_one_is_named) {
    const TempFolder folder;
    const auto path = folder.path() / "mine.devices.json";
    ASSERT_TRUE(writeDevices(usualDevices(), path));
    const nlohmann::ordered_json good = nlohmann::ordered_json::parse(*readTextFile(path));
    const auto said = [&](const auto& damage) {
        nlohmann::ordered_json bad = good;
        damage(bad);
        EXPECT_TRUE(writeTextFile(path, bad.dump()));
        const auto read = readDevices(path);
        return read ? std::string("read") : read.error().what;
    };
    EXPECT_EQ(said([](auto&) {}), "read");
    EXPECT_NE(said([](auto& j) { j["format"] = "other"; }).find("format"), std::string::npos);
    EXPECT_NE(said([](auto& j) { j["version"] = 9; }).find("later"), std::string::npos);
    EXPECT_NE(said([](auto& j) { j["devices"] = nlohmann::ordered_json::array(); }).find("holds 0"), std::string::npos);
    EXPECT_NE(said([](auto& j) { j["devices"][1]["frameMs"] = 0; }).find("devices[1].frameMs"), std::string::npos);
    EXPECT_NE(said([](auto& j) { j["devices"][0]["drawBudget"] = -4; }).find("devices[0].drawBudget"),
              std::string::npos);
    EXPECT_NE(said([](auto& j) { j["devices"][0]["nsPerPixel"] = 1e300; }).find("nsPerPixel"), std::string::npos);
    EXPECT_NE(said([](auto& j) { j["devices"][0].erase("name"); }).find("name"), std::string::npos);
    EXPECT_NE(said([](auto& j) { j["devices"] = 3; }).find("devices"), std::string::npos);
    EXPECT_FALSE(readDevices(folder.path() / "absent.devices.json"));
}

} // namespace thicket
