<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Engine;

use FFI;
use FFI\CData;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * The functions of the embedded engine's C interface that are used here.
 *
 * @see https://duckdb.org/docs/stable/clients/c/api
 */
final class Library
{
    private const DECLARATIONS = <<<'C'
        typedef uint64_t idx_t;
        typedef struct { void *internal; } *duckdb_database;
        typedef struct { void *internal; } *duckdb_connection;
        typedef struct { void *internal; } *duckdb_config;
        typedef struct { void *internal; } *duckdb_prepared_statement;
        typedef struct { void *internal; } *duckdb_extracted_statements;
        typedef struct { void *internal; } *duckdb_pending_result;
        typedef struct { void *internal; } *duckdb_data_chunk;
        typedef struct { void *internal; } *duckdb_vector;
        typedef struct { idx_t a; idx_t b; idx_t c; void *d; char *e; void *internal; } duckdb_result;
        typedef struct { union { struct { uint32_t length; char prefix[4]; char *ptr; } pointer; struct { uint32_t length; char inlined[12]; } inlined; } value; } duckdb_string_t;
        int duckdb_create_config(duckdb_config *out);
        int duckdb_set_config(duckdb_config config, const char *name, const char *option);
        void duckdb_destroy_config(duckdb_config *config);
        int duckdb_open_ext(const char *path, duckdb_database *out, duckdb_config config, char **error);
        void duckdb_close(duckdb_database *database);
        int duckdb_connect(duckdb_database database, duckdb_connection *out);
        void duckdb_disconnect(duckdb_connection *connection);
        void duckdb_free(void *ptr);
        idx_t duckdb_extract_statements(duckdb_connection connection, const char *query, duckdb_extracted_statements *out);
        const char *duckdb_extract_statements_error(duckdb_extracted_statements extracted);
        int duckdb_prepare_extracted_statement(duckdb_connection connection, duckdb_extracted_statements extracted, idx_t index, duckdb_prepared_statement *out);
        void duckdb_destroy_extracted(duckdb_extracted_statements *extracted);
        const char *duckdb_prepare_error(duckdb_prepared_statement prepared);
        int duckdb_prepared_statement_type(duckdb_prepared_statement prepared);
        void duckdb_destroy_prepare(duckdb_prepared_statement *prepared);
        int duckdb_pending_prepared_streaming(duckdb_prepared_statement prepared, duckdb_pending_result *out);
        const char *duckdb_pending_error(duckdb_pending_result pending);
        int duckdb_pending_execute_task(duckdb_pending_result pending);
        int duckdb_execute_pending(duckdb_pending_result pending, duckdb_result *out);
        void duckdb_destroy_pending(duckdb_pending_result *pending);
        const char *duckdb_result_error(duckdb_result *result);
        idx_t duckdb_column_count(duckdb_result *result);
        const char *duckdb_column_name(duckdb_result *result, idx_t column);
        void duckdb_destroy_result(duckdb_result *result);
        duckdb_data_chunk duckdb_fetch_chunk(duckdb_result result);
        idx_t duckdb_data_chunk_get_size(duckdb_data_chunk chunk);
        duckdb_vector duckdb_data_chunk_get_vector(duckdb_data_chunk chunk, idx_t column);
        void *duckdb_vector_get_data(duckdb_vector vector);
        uint64_t *duckdb_vector_get_validity(duckdb_vector vector);
        void duckdb_destroy_data_chunk(duckdb_data_chunk *chunk);
        C;

    private static ?FFI $library = null;

    public static function make(string $type): CData
    {
        return self::load()->new($type) ?? throw new FFI\Exception("{$type} could not be made.");
    }

    /** @throws SystemTrouble if the library cannot be loaded */
    public static function load(): FFI
    {
        $file = dirname(__DIR__, 3).'/node_modules/@duckdb/node-bindings-linux-x64/libduckdb.so';
        try {
            return self::$library ??= FFI::cdef(self::DECLARATIONS, $file);
        } catch (FFI\Exception $e) {
            throw MissingTrouble::tool(Reason::NoEngine, 'duckdb', "The engine that reads and writes Parquet could not be loaded: {$e->getMessage()}.", 'Run bin/up, which installs it, and let ffi.enable be on or preload for the command line.');
        }
    }

    /** @return list<string|null> a column of texts */
    public static function texts(CData $vector, int $rows): array
    {
        $library = self::load();
        /** @var CData $data */
        $data = $library->cast('duckdb_string_t *', $library->duckdb_vector_get_data($vector));
        $valid = $library->duckdb_vector_get_validity($vector);
        $texts = [];
        for ($row = 0; $row < $rows; $row++) {
            if ($valid !== null && (($valid[$row >> 6] >> ($row & 63)) & 1) === 0) {
                $texts[] = null;

                continue;
            }
            $value = $data[$row]->value;
            $length = $value->inlined->length;
            $texts[] = $length <= 12 ? FFI::string($value->inlined->inlined, $length) : FFI::string($value->pointer->ptr, $length);
        }

        return $texts;
    }
}
