using System;
using System.Collections;
using System.Collections.Generic;
using System.Globalization;
using System.IO;
using System.Linq;
using System.Reflection;
using System.Text;

namespace Emballage.Host
{
    /// <summary>Values of JSON as the types that a function takes, and what it gives back as values of JSON.</summary>
    static class Shape
    {
        const BindingFlags Members = BindingFlags.Public | BindingFlags.Instance;
        const string OfFramework = "System.Text.Json.";

        public static object As(object value, Type type)
        {
            Type inner = Nullable.GetUnderlyingType(type);
            if (inner != null) return value == null ? null : As(value, inner);
            if (type == typeof(byte[])) return Encoding.UTF8.GetBytes(Json.Write(value));
            if (typeof(Stream).IsAssignableFrom(type)) return new MemoryStream(Encoding.UTF8.GetBytes(Json.Write(value)));
            if (type == typeof(string)) return value == null || value is string ? value : Json.Write(value);
            if (type.FullName.StartsWith(OfFramework, StringComparison.Ordinal)) return Framework(value, type);
            if (value == null) return type.IsValueType ? Activator.CreateInstance(type) : null;
            if (type.IsInstanceOfType(value)) return value;
            if (type.IsEnum) return value is string ? Enum.Parse(type, (string)value, true) : Enum.ToObject(type, value);
            if (type == typeof(Guid)) return Guid.Parse((string)value);
            if (type == typeof(DateTimeOffset)) return DateTimeOffset.Parse((string)value, CultureInfo.InvariantCulture);
            if (type == typeof(DateTime)) return DateTime.Parse((string)value, CultureInfo.InvariantCulture, DateTimeStyles.RoundtripKind);
            if (type == typeof(TimeSpan)) return TimeSpan.Parse((string)value, CultureInfo.InvariantCulture);
            if (type == typeof(Uri)) return new Uri((string)value, UriKind.RelativeOrAbsolute);
            if (type.IsPrimitive || type == typeof(decimal)) return Convert.ChangeType(value, type, CultureInfo.InvariantCulture);
            var list = value as List<object>;
            if (list != null) return ListAs(list, type);
            var map = value as Dictionary<string, object>;
            if (map == null) throw new InvalidCastException(value.GetType().Name + " where " + type.FullName + " is taken");
            return MapAs(map, type);
        }

        static object ListAs(List<object> list, Type type)
        {
            Type of = type.IsArray ? type.GetElementType() : type.IsGenericType ? type.GetGenericArguments()[0] : typeof(object);
            Array all = Array.CreateInstance(of, list.Count);
            for (int i = 0; i < list.Count; i++) all.SetValue(As(list[i], of), i);
            if (type.IsAssignableFrom(all.GetType())) return all;
            return Activator.CreateInstance(type, all);
        }

        static object MapAs(Dictionary<string, object> map, Type type)
        {
            Type[] of = type.IsGenericType ? type.GetGenericArguments() : Type.EmptyTypes;
            if (of.Length == 2 && of[0] == typeof(string))
            {
                Type made = typeof(Dictionary<,>).MakeGenericType(of);
                if (type.IsAssignableFrom(made))
                {
                    var all = (IDictionary)Activator.CreateInstance(made);
                    foreach (var one in map) all[one.Key] = As(one.Value, of[1]);
                    return all;
                }
            }
            return ObjectAs(map, type);
        }

        /// <summary>By its constructor without parameters, or the one with the most; then by what can be set.</summary>
        static object ObjectAs(Dictionary<string, object> map, Type type)
        {
            var known = new Dictionary<string, object>(map, StringComparer.OrdinalIgnoreCase);
            ConstructorInfo plain = type.GetConstructor(Type.EmptyTypes);
            ConstructorInfo most = plain ?? type.GetConstructors().OrderByDescending(one => one.GetParameters().Length).FirstOrDefault();
            if (most == null && !type.IsValueType) throw new MissingMethodException("no public constructor of " + type.FullName);
            object made = most == null ? Activator.CreateInstance(type) : most.Invoke(most.GetParameters().Select(one => Given(known, one)).ToArray());
            foreach (PropertyInfo one in type.GetProperties(Members))
            {
                object value;
                if (one.CanWrite && one.GetIndexParameters().Length == 0 && known.TryGetValue(NameOf(one), out value))
                    one.SetValue(made, As(value, one.PropertyType), null);
            }
            foreach (FieldInfo one in type.GetFields(Members))
            {
                object value;
                if (!one.IsInitOnly && known.TryGetValue(NameOf(one), out value)) one.SetValue(made, As(value, one.FieldType));
            }
            return made;
        }

        static object Given(Dictionary<string, object> known, ParameterInfo one)
        {
            object value;
            if (known.TryGetValue(one.Name, out value)) return As(value, one.ParameterType);
            return one.HasDefaultValue ? one.DefaultValue : As(null, one.ParameterType);
        }

        /// <summary>The name that the function gave it for JSON, where it gave one.</summary>
        static string NameOf(MemberInfo member)
        {
            foreach (object one in member.GetCustomAttributes(true))
                if (one.GetType().Name == "JsonPropertyNameAttribute") return (string)one.GetType().GetProperty("Name").GetValue(one, null);
            return member.Name;
        }

        /// <summary>The framework has types for JSON, which this was not compiled against.</summary>
        static object Framework(object value, Type type)
        {
            Type serializer = type.Assembly.GetType(OfFramework + "JsonSerializer");
            MethodInfo reads = serializer.GetMethods().First(one => one.Name == "Deserialize" && !one.IsGenericMethod
                && one.GetParameters().Length == 3 && one.GetParameters()[0].ParameterType == typeof(string) && one.GetParameters()[1].ParameterType == typeof(Type));
            return reads.Invoke(null, new object[] { Json.Write(value), type, null });
        }

        /// <summary>What JSON has a form for: dictionaries, sequences, texts, numbers, truth values, text that is JSON.</summary>
        public static object Plain(object value)
        {
            if (value == null || value is string || value is bool || value is Raw || value is IDictionary) return value;
            if (value is char) return value.ToString();
            if (value is Enum) return Convert.ChangeType(value, Enum.GetUnderlyingType(value.GetType()), CultureInfo.InvariantCulture);
            if (value is DateTime) return ((DateTime)value).ToString("o", CultureInfo.InvariantCulture);
            if (value is DateTimeOffset) return ((DateTimeOffset)value).ToString("o", CultureInfo.InvariantCulture);
            if (value is byte[]) return new Raw(Checked(Encoding.UTF8.GetString((byte[])value)));
            if (value is Stream) return new Raw(Checked(new StreamReader((Stream)value, Encoding.UTF8).ReadToEnd()));
            if (value.GetType().IsPrimitive || value is decimal) return value;
            if (value is Guid || value is TimeSpan || value is Uri) return value.ToString();
            if (value.GetType().FullName.StartsWith(OfFramework, StringComparison.Ordinal)) return new Raw(Framework(value));
            if (value is IEnumerable) return value;
            if (value is Delegate || value is Type) throw new FormatException("JSON has no form for " + value.GetType().FullName);
            return Fields(value);
        }

        static string Checked(string text)
        {
            if (text.Trim() == "") return "null";
            Json.Parse(text);
            return text;
        }

        static string Framework(object value)
        {
            Type type = value.GetType();
            MethodInfo text = type.GetMethod("GetRawText", Type.EmptyTypes);
            if (text != null) return (string)text.Invoke(value, null);
            MethodInfo writes = type.GetMethods().FirstOrDefault(one => one.Name == "ToJsonString");
            if (writes != null) return (string)writes.Invoke(value, new object[writes.GetParameters().Length]);
            PropertyInfo root = type.GetProperty("RootElement");
            return root == null ? value.ToString() : Framework(root.GetValue(value, null));
        }

        static IDictionary Fields(object value)
        {
            var all = new Dictionary<string, object>();
            Type type = value.GetType();
            foreach (PropertyInfo one in type.GetProperties(Members))
                if (one.CanRead && one.GetIndexParameters().Length == 0) all[NameOf(one)] = one.GetValue(value, null);
            foreach (FieldInfo one in type.GetFields(Members)) all[NameOf(one)] = one.GetValue(value);
            return all;
        }
    }
}
