package customsql

import (
	"iter"
	"maps"
	"strings"
)

// Functions that only compute from what they are given: no file, no network, no session,
// no lock, no sleep, no other statement.
const (
	everywhere = `abs acos asin atan atan2 avg cast ceil ceiling coalesce concat concat_ws cos count cume_dist degrees dense_rank exp first_value floor
		lag last_value lead length ln log log10 log2 lower lpad ltrim max min mod nth_value ntile nullif percent_rank pi pow power radians rank replace round row_number rpad
		rtrim sign sin sqrt substr substring sum tan trim upper`
	inSQLite = `acosh asinh atanh char cosh date datetime format glob group_concat hex ifnull iif instr json json_array json_array_length json_extract json_group_array json_group_object
		json_object json_quote json_type json_valid julianday like likelihood likely nullif octet_length printf quote sinh strftime string_agg tanh time timediff total trunc typeof unhex unicode unixepoch unlikely`
	inPostgres = `age array_agg array_length date array_position array_to_string ascii bit_length bool_and bool_or btrim cbrt char_length character_length chr corr covar_pop covar_samp date_bin date_part date_trunc
		div every extract factorial format gcd generate_series generate_subscripts greatest grouping initcap isfinite json_agg json_array_elements json_array_length json_build_object json_object_agg
		jsonb_agg jsonb_array_elements jsonb_array_elements_text jsonb_array_length jsonb_build_object jsonb_extract_path_text jsonb_object_agg jsonb_typeof justify_days justify_hours justify_interval lcm least left
		localtimestamp localtime make_date make_interval make_time make_timestamp make_timestamptz md5 mode now octet_length ordinality overlay percentile_cont percentile_disc pg_typeof position
		regexp_count regexp_like regexp_match regexp_matches regexp_replace regexp_split_to_array regexp_split_to_table regexp_substr regr_slope repeat reverse right scale split_part
		starts_with stddev stddev_pop stddev_samp string_agg string_to_array strpos timezone to_char to_date to_number to_timestamp translate trim_scale trunc unnest var_pop var_samp variance width_bucket`
	inMariaDB = `adddate addtime ascii bit_count bit_length char char_length character_length chr conv convert convert_tz cot crc32 curdate current_date current_time current_timestamp curtime date date_add date_format
		date_sub datediff day dayname dayofmonth dayofweek dayofyear elt extract field find_in_set format from_days from_unixtime greatest group_concat hex hour if ifnull insert instr isnull
		json_array json_arrayagg json_extract json_length json_object json_objectagg json_unquote json_value json_valid last_day lcase least left locate makedate maketime md5 median microsecond mid minute month monthname
		natural_sort_key now oct ord percentile_cont percentile_disc period_add period_diff position quarter quote regexp_instr regexp_replace regexp_substr repeat reverse right sec_to_time second space std stddev
		stddev_pop stddev_samp str_to_date strcmp subdate substring_index subtime time time_format time_to_sec timediff timestamp timestampadd timestampdiff to_char to_days to_seconds truncate ucase unhex
		unix_timestamp utc_date utc_time utc_timestamp var_pop var_samp variance week weekday weekofyear year yearweek`
)

var functions = map[Dialect]map[string]bool{SQLite: set(everywhere, inSQLite), Postgres: set(everywhere, inPostgres), MariaDB: set(everywhere, inMariaDB)}

func set(lists ...string) map[string]bool {
	all := map[string]bool{}
	for _, list := range lists {
		for _, name := range strings.Fields(list) {
			all[name] = true
		}
	}
	return all
}

func isKnown(d Dialect, name string) bool { return functions[d][name] }

func known(d Dialect) iter.Seq[string] { return maps.Keys(functions[d]) }
