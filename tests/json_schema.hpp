// Documents held against JSON Schemas.
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validator.hpp>

// What a schema says against a document; "" for nothing.
inline std::string against(const std::string& schema_text, const nlohmann::json& document) {
    const nlohmann::json schema_json = nlohmann::json::parse(schema_text);
    valijson::Schema schema;
    valijson::SchemaParser parser;
    const valijson::adapters::NlohmannJsonAdapter schema_adapter(schema_json);
    parser.populateSchema(schema_adapter, schema);
    valijson::Validator validator;
    valijson::ValidationResults results;
    const valijson::adapters::NlohmannJsonAdapter adapter(document);
    if (validator.validate(schema, adapter, &results)) return "";
    valijson::ValidationResults::Error error;
    std::string out;
    while (results.popError(error)) {
        for (const auto& part : error.context) out += part;
        out += ": " + error.description + "\n";
    }
    return out;
}
