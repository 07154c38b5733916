using System;
using System.Collections;
using System.Collections.Generic;
using System.Globalization;
using System.Text;

namespace Emballage.Host
{
    /// <summary>JSON (RFC 8259) to dictionaries, lists, texts, numbers and truth values, and back.</summary>
    sealed class Json
    {
        const int MostDepth = 500;
        readonly string text;
        int at;

        Json(string text)
        {
            this.text = text;
        }

        public static object Parse(string text)
        {
            var json = new Json(text);
            object value = json.Value(0);
            json.Space();
            if (json.at < text.Length) throw json.Bad();
            return value;
        }

        object Value(int depth)
        {
            if (depth > MostDepth) throw new FormatException("JSON nested too deeply");
            Space();
            if (at >= text.Length) throw Bad();
            char first = text[at];
            if (first == '{') return Object(depth);
            if (first == '[') return List(depth);
            if (first == '"') return Text();
            if (Take("true")) return true;
            if (Take("false")) return false;
            if (Take("null")) return null;
            return Number();
        }

        Dictionary<string, object> Object(int depth)
        {
            var all = new Dictionary<string, object>();
            at++;
            Space();
            if (Take("}")) return all;
            do
            {
                Space();
                if (at >= text.Length || text[at] != '"') throw Bad();
                string key = Text();
                Space();
                if (!Take(":")) throw Bad();
                all[key] = Value(depth + 1);
                Space();
            } while (Take(","));
            if (!Take("}")) throw Bad();
            return all;
        }

        List<object> List(int depth)
        {
            var all = new List<object>();
            at++;
            Space();
            if (Take("]")) return all;
            do
            {
                all.Add(Value(depth + 1));
                Space();
            } while (Take(","));
            if (!Take("]")) throw Bad();
            return all;
        }

        string Text()
        {
            var made = new StringBuilder();
            for (at++; at < text.Length; at++)
            {
                char unit = text[at];
                if (unit == '"')
                {
                    at++;
                    return made.ToString();
                }
                if (unit < ' ') throw Bad();
                made.Append(unit == '\\' ? Escaped() : unit);
            }
            throw Bad();
        }

        char Escaped()
        {
            if (++at >= text.Length) throw Bad();
            int known = "\"\\/bfnrt".IndexOf(text[at]);
            if (known >= 0) return "\"\\/\b\f\n\r\t"[known];
            int code;
            if (text[at] != 'u' || at + 4 >= text.Length
                || !int.TryParse(text.Substring(at + 1, 4), NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out code))
                throw Bad();
            at += 4;
            return (char)code;
        }

        object Number()
        {
            int from = at;
            while (at < text.Length && "+-.0123456789eE".IndexOf(text[at]) >= 0) at++;
            string written = text.Substring(from, at - from);
            long whole;
            if (long.TryParse(written, NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture, out whole)) return whole;
            double number;
            if (written != "" && double.TryParse(written, NumberStyles.Float, CultureInfo.InvariantCulture, out number)) return number;
            at = from;
            throw Bad();
        }

        void Space()
        {
            while (at < text.Length && " \t\r\n".IndexOf(text[at]) >= 0) at++;
        }

        bool Take(string word)
        {
            if (string.CompareOrdinal(text, at, word, 0, word.Length) != 0) return false;
            at += word.Length;
            return true;
        }

        FormatException Bad()
        {
            return new FormatException("no JSON at character " + (at + 1));
        }

        public static string Write(object value)
        {
            var made = new StringBuilder();
            Append(made, value, 0);
            return made.ToString();
        }

        static void Append(StringBuilder made, object value, int depth)
        {
            if (depth > MostDepth) throw new FormatException("an answer nested too deeply, or within itself");
            object plain = Shape.Plain(value);
            if (plain == null) made.Append("null");
            else if (plain is string) Quote(made, (string)plain);
            else if (plain is bool) made.Append((bool)plain ? "true" : "false");
            else if (plain is double || plain is float) AppendNumber(made, Convert.ToDouble(plain, CultureInfo.InvariantCulture));
            else if (plain is Raw) made.Append(((Raw)plain).Text);
            else if (plain is IDictionary) AppendObject(made, (IDictionary)plain, depth);
            else if (plain is IEnumerable) AppendList(made, (IEnumerable)plain, depth);
            else made.Append(Convert.ToString(plain, CultureInfo.InvariantCulture));
        }

        static void AppendNumber(StringBuilder made, double number)
        {
            if (double.IsNaN(number) || double.IsInfinity(number)) throw new FormatException("JSON has no number " + number);
            made.Append(number.ToString("R", CultureInfo.InvariantCulture));
        }

        static void AppendObject(StringBuilder made, IDictionary all, int depth)
        {
            made.Append('{');
            bool isFirst = true;
            foreach (DictionaryEntry one in all)
            {
                if (!isFirst) made.Append(',');
                isFirst = false;
                Quote(made, Convert.ToString(one.Key, CultureInfo.InvariantCulture));
                made.Append(':');
                Append(made, one.Value, depth + 1);
            }
            made.Append('}');
        }

        static void AppendList(StringBuilder made, IEnumerable all, int depth)
        {
            made.Append('[');
            bool isFirst = true;
            foreach (object one in all)
            {
                if (!isFirst) made.Append(',');
                isFirst = false;
                Append(made, one, depth + 1);
            }
            made.Append(']');
        }

        static void Quote(StringBuilder made, string value)
        {
            made.Append('"');
            foreach (char unit in value)
                if (unit == '"' || unit == '\\') made.Append('\\').Append(unit);
                else if (unit < ' ' || char.IsSurrogate(unit)) made.Append("\\u").Append(((int)unit).ToString("x4"));
                else made.Append(unit);
            made.Append('"');
        }
    }

    /// <summary>JSON that is text already.</summary>
    sealed class Raw
    {
        public readonly string Text;

        public Raw(string text)
        {
            Text = text;
        }
    }
}
